"""The method catalogue: each method is data and small pure functions; registry.py lists them."""
