"""Who may do what: one table, asked by every service."""

from __future__ import annotations

from typing import Any

from apps.accounts.outside import ADMINISTRATION, is_code_wanted
from config.failures import NotAllowed

LOOKED_AFTER = frozenset({"look after people", "set a policy"})  # what administration is, where a code is wanted for it

PERMISSIONS: dict[str, frozenset[str]] = {
    "start a run": frozenset({"technician"}),
    "work on a run": frozenset({"technician"}),
    "end another's hold": frozenset({"reviewer", "administrator"}),
    "sign a run": frozenset({"technician"}),
    "countersign a record": frozenset({"technician", "planner", "reviewer", "administrator"}),
    "void a run": frozenset({"technician", "administrator"}),
    "review a record": frozenset({"reviewer"}),
    "override a reference": frozenset({"reviewer"}),
    "report what happened": frozenset({"technician", "planner"}),
    "plan the work": frozenset({"planner", "administrator"}),
    "approve a deferral": frozenset({"reviewer", "administrator"}),
    "answer a follow-up": frozenset({"technician", "planner", "reviewer", "administrator"}),
    "close a follow-up": frozenset({"planner", "reviewer", "administrator"}),
    "look after people": frozenset({"administrator"}),
    "look after the evidence": frozenset({"reviewer", "administrator"}),
    "give a qualification": frozenset({"planner", "administrator"}),
    "set a policy": frozenset({"reviewer", "administrator"}),
    "edit the kit": frozenset({"planner", "administrator"}),
    "quarantine kit": frozenset({"technician", "planner", "reviewer", "administrator"}),
    "check kit in": frozenset({"technician", "planner"}),
    "edit the plant": frozenset({"planner", "administrator"}),
    "read": frozenset({"technician", "planner", "reviewer", "administrator"}),
}


def is_allowed(person: Any, action: str) -> bool:
    """Whether the person's role allows the action. An unknown action raises a KeyError."""
    allowed = PERMISSIONS[action]
    return bool(person.is_authenticated and person.is_active and person.role in allowed)


def require(person: Any, action: str) -> None:
    """Raise NotAllowed unless the person's role allows the action, and where the plant wants a one-time code for it, a session that proved one."""
    if not is_allowed(person, action):
        roles = " or ".join(sorted(PERMISSIONS[action]))
        raise NotAllowed(
            "not_allowed", f"To {action} takes the role {roles}; yours is {getattr(person, 'role', 'none')}. Nothing was stored."
        )
    if action in LOOKED_AFTER and not getattr(person, "with_code", True) and is_code_wanted(ADMINISTRATION):
        raise NotAllowed(
            "code_wanted", f"To {action} takes a one-time code of your device. Give it under your name, above, then do this once more."
        )


def allowed_actions(person: Any) -> list[str]:
    """Everything the person may do, for the interface to show or hide."""
    return [action for action in PERMISSIONS if is_allowed(person, action)]
