"""Kinds of sets of readings: what is asked, what is kept, what the set comes to."""
