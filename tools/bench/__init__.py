"""Measurements of what was promised: `make bench`."""
