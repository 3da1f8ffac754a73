"""A run of a method: events, the state they add up to, the rules, and the view a screen needs."""
