"""The golden corpus: runs of every method and revision, played once, kept for good beside what they came to."""
