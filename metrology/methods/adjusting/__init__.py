"""Ways of adjusting: what is set, in which order, when it is done."""
