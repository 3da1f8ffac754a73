"""Why an item is in quarantine, and with what it may come back: the reason that put it there decides, whoever asks."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.utils import timezone

from apps.kit.models import KitChange
from metrology.faults import Fault

CERTIFICATE, CHECK, WORD = "certificate", "check", "word"
PAPERS = ("certificate", "calibrated_on")  # what changes with a new certificate
PAPERED = ("reference", "bottle")  # registers of what has one


@dataclass(frozen=True)
class Cause:
    """Why an item is out of use. needs: what must have come since: a new certificate, an accepted incoming check, or only somebody's word."""

    key: str
    label: str
    needs: str


CAUSES = {
    c.key: c
    for c in (
        Cause("dropped", "Dropped, knocked or overloaded", CERTIFICATE),
        Cause("doubt", "Its values are in doubt", CERTIFICATE),
        Cause("damaged", "Damaged, leaking or contaminated", CHECK),
        Cause("check", "Failed its incoming check", CHECK),
        Cause("other", "Something else", WORD),
    )
}
FAILED = "check"
RANK = (WORD, CHECK, CERTIFICATE)
NEEDS = {
    CERTIFICATE: "a new certificate, dated {since} or later, entered here",
    CHECK: "an incoming check that it passes",
    WORD: "a planner who says why",
}


def needs_of(group: str, cause: Cause) -> str:
    """What an item of a register must have had before it comes back."""
    return CHECK if cause.needs == CERTIFICATE and group not in PAPERED else cause.needs


@dataclass(frozen=True)
class Quarantine:
    """An item in quarantine: why, since when, by whom."""

    group: str
    cause: Cause
    since: datetime
    by: str
    reason: str

    @property
    def needs(self) -> str:
        """What must have come since; what has no certificate is checked instead."""
        return needs_of(self.group, self.cause)

    @property
    def says(self) -> str:
        """With what it may come back, as a sentence."""
        needs = NEEDS[self.needs].format(since=f"{timezone.localtime(self.since):%-d %b %Y}")
        since = f"{timezone.localtime(self.since):%-d %b %Y}"
        return f"In quarantine since {since}, {self.by}: {self.cause.label.lower()}. {self.reason.rstrip('.')}. It comes back with {needs}."


def cause_of(key: str) -> Cause:
    """The cause of a key; a Fault where there is none."""
    if key not in CAUSES:
        raise Fault("unknown_choice", f"Say what happened to it: {', '.join(c.label.lower() for c in CAUSES.values())}.", field="cause")
    return CAUSES[key]


def quarantine_of(group: str, code: str) -> Quarantine | None:
    """Why an item is in quarantine, or was when it was retired: of the changes that put it there, or made it worse, the one that asks for most."""
    changes = KitChange.objects.filter(group=group, code=code, values__state__isnull=False).select_related("by").order_by("-at", "-pk")
    put: tuple[Cause, KitChange] | None = None
    for change in changes:
        before, after = change.values["state"]
        if after == "in service":
            break
        if after != "quarantined" or (before == after and "cause" not in change.values):
            continue
        mine = CAUSES.get(str((change.values.get("cause") or ["", ""])[1]), CAUSES["other"])
        if put is None or RANK.index(needs_of(group, mine)) > RANK.index(needs_of(group, put[0])):
            put = (mine, change)
    return Quarantine(group, put[0], put[1].at, put[1].by.name, put[1].reason) if put else None


def _lacking(group: str, item: Any, *, is_checked: bool) -> Quarantine | None:
    """The quarantine that an item may not leave yet; what was retired meanwhile leaves it as little. None where nothing holds it."""
    held = quarantine_of(group, item.code) if item.state != "in service" else None
    if held is None or held.needs == WORD or (held.needs == CHECK and is_checked):
        return None
    return held if held.needs == CHECK or not _has_new_papers(group, item, held.since) else None


def require_may_return(group: str, item: Any) -> None:
    """Refuse what the reason of the quarantine does not allow on somebody's word."""
    held = _lacking(group, item, is_checked=False)
    if held is not None:
        raise Fault(f"needs_{held.needs}", _stays(item, held), field="state")


def _stays(item: Any, held: Quarantine) -> str:
    return f"{item.code} stays {'in quarantine' if item.state == 'quarantined' else item.state}. {held.says}"


@dataclass(frozen=True)
class Checked:
    """What an incoming check comes to for its item. stays: why it stays in quarantine although it passed. values: for the history."""

    state: str
    stays: str
    values: dict[str, Any]


def after_check(group: str, item: Any, *, passed: bool, incoming: list[Any]) -> Checked:
    """The state of an item after its check, kept with what the check was told: passed, it still needs what its quarantine asks for."""
    held = _lacking(group, item, is_checked=True) if passed else None
    state = "in service" if passed and held is None else "quarantined"
    failed = {} if passed else {"cause": ["", FAILED]}
    return Checked(state, _stays(item, held) if held else "", {"state": [item.state, state], "incoming": incoming, **failed})


def _has_new_papers(group: str, item: Any, since: datetime) -> bool:
    """A certificate entered since, and of no earlier day where it has one."""
    changes = KitChange.objects.filter(group=group, code=item.code, at__gte=since)
    if not any(_changes_papers(c.values) for c in changes):
        return False
    calibrated_on = getattr(item, "calibrated_on", None)
    return bool(calibrated_on is None or calibrated_on >= timezone.localdate(since))


def _changes_papers(values: Mapping[str, Any]) -> bool:
    return any(name in values and values[name][0] != values[name][1] for name in PAPERS)
