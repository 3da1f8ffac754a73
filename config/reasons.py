"""Why something was done, as it is kept for the next one."""

from metrology.faults import Fault


def require_reason(text: str) -> str:
    """The reason as it is kept, or a Fault where none was given that says anything."""
    if len(text.strip()) < 5:
        raise Fault("missing", "Say why, so that the next one knows.", field="reason")
    return text.strip()[:300]
