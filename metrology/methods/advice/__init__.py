"""What is proposed after a set of readings, and why."""
