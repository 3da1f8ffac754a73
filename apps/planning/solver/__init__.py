"""Building a round: the problem, a quick plan, the search for a better one, its check, and why it can't be done."""
