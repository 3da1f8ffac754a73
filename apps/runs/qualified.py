"""Whether somebody may do the work: by what they are qualified for, or under a supervisor who is, as the plant's policy says."""

from __future__ import annotations

from collections.abc import Collection
from datetime import date

from apps.accounts.models import Person
from apps.accounts.qualifications import holders, lacking, lacking_words
from apps.plant.needs import skills_of
from apps.runs.models import Run
from metrology.faults import Fault
from metrology.judgement.policy import Policy
from metrology.run.state import RunState

ALWAYS = ("hold_", "note_")  # what gives the plant its signal back, or tells something, is nobody's to refuse


def require_qualified(
    actor: Person, what: str, wanted: Collection[str], policy: Policy, today: date, supervisor: str = ""
) -> tuple[tuple[str, ...], str]:
    """What whoever starts the work on something lacks, and the name of who answers for it.

    Refused where the policy, or the supervisor, does not carry it.
    """
    missing = lacking(actor, wanted, today)
    if not missing:
        return (), ""
    told = f"This work on {what} takes a qualification that is not entered for you: {lacking_words(actor, missing, today)}. Nothing was started."
    if policy.qualified != "supervised":
        raise Fault("not_qualified", f"{told} A planner enters it under People, or somebody who has it does the work.", supervisors=[])
    able = holders(wanted, today, but=actor)
    offered = [{"username": p.username, "name": p.name} for p in able]
    if not supervisor:
        told += " Name who has it and answers for the work." if able else " Nobody else here has it who could answer for it."
        raise Fault("not_qualified", told, field="supervisor", supervisors=offered)
    found = next((p for p in able if p.username == supervisor), None)
    if found is None:
        told = f"{supervisor[:40]} can't answer for it: choose somebody else who is qualified for {' and '.join(sorted(wanted))}. Nothing was started."
        raise Fault("not_qualified", told, field="supervisor", supervisors=offered)
    return missing, found.name


def require_hand(actor: Person, run: Run, state: RunState, kind: str, today: date) -> None:
    """Refuse work by another than who started the run, where they lack what it takes and nobody was named who answers for it."""
    if run.instrument is None or kind.startswith(ALWAYS) or state.setup.supervisor:
        return
    missing = lacking(actor, skills_of(run.instrument, run.method), today)
    if missing:
        told = (
            f"This work on {run.instrument.tag} takes a qualification that is not entered for you: {lacking_words(actor, missing, today)}. "
            f"Nothing was stored. {run.technician.name} or somebody who has it goes on; its hold you may take over and release."
        )
        raise Fault("not_qualified", told, supervisors=[])
