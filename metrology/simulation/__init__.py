"""Physical models of instruments and their faults, stepped by time and seeded."""
