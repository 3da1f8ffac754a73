"""Sources of live readings, one module for each protocol; `protocols` has them by name."""
