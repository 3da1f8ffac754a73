"""The steps of methods, in words."""
