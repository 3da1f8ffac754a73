"""The named calculations by subject; each registers under its fixed name."""
