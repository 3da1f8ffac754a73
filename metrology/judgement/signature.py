"""A named pattern of errors: what it says, what to do first, how sure, on what evidence."""

from __future__ import annotations

from dataclasses import dataclass

UNDECIDED = "undecided"  # the code of the one that says what is left open, and what would tell


@dataclass(frozen=True)
class Signature:
    """A named error pattern. confidence 0 to 1."""

    code: str
    says: str
    first_action: str
    confidence: float
    evidence: tuple[str, ...]
