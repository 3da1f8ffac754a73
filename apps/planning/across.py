"""What all rounds share: nobody and nothing is in two of them at a time.

Who is on a round is on it for the whole shift, since the way and the kit go with it; an instrument that is planned in one round is free for no other
until that is closed or over.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from itertools import combinations
from typing import Any

from apps.planning.models import Round, RoundJob
from apps.planning.solver.problem import clock
from apps.plant.models import Instrument
from metrology.faults import Fault

ACTIVE = ("draft", "solving", "planned", "under way")
PLANNED = ("planned", "under way")


def require_free_people(day: date, crew: Iterable[Mapping[str, Any]]) -> list[Fault]:
    """A Fault for everybody whose shift would lie across one that they have in another round of that day; one that ends as the other begins does not."""
    others = list(Round.objects.filter(day=day, status__in=ACTIVE))
    out = []
    for c in crew:
        for other in others:
            for at in other.crew:
                if at["username"] == c["username"] and c["start"] < at["end"] and at["start"] < c["end"]:
                    told = (
                        f"{c['name']} is on '{other.name}' that day from {clock(at['start'])} to {clock(at['end'])}. Choose other hours or somebody "
                        "else, or close that round."
                    )
                    out.append(Fault("on_another_round", told, field="crew"))
    return out


def jobs_elsewhere(today: date, besides: Round | None = None) -> dict[int, str]:
    """The instruments that are planned in a round of today or later that is not closed, each with the name of that round; what was left out is free."""
    rows = RoundJob.objects.filter(round__day__gte=today, round__status__in=ACTIVE).exclude(tasks=[]).select_related("round")
    if besides is not None:
        rows = rows.exclude(round=besides)
    return {row.instrument_id: row.round.name for row in rows}


def require_free_jobs(instruments: Iterable[Instrument], elsewhere: Mapping[int, str]) -> list[Fault]:
    """A Fault for every instrument that is asked for and is a job of another round."""
    return [
        Fault("on_another_round", f"{i.tag} is on '{elsewhere[i.pk]}' already. Take it out there first.", field="musts")
        for i in instruments
        if i.pk in elsewhere
    ]


def find_overlaps(rounds: Sequence[Round], of: Round | None = None) -> list[str]:
    """Whoever and whatever is in two places at a time in the plans of rounds of one day, as sentences; looked at task by task, not by shifts.

    of: only what one of them shares with the others.
    """
    out: list[str] = []
    jobs = {r.pk: list(r.jobs.select_related("instrument").exclude(tasks=[])) for r in rounds}
    names = {c["username"]: c["name"] for r in rounds for c in r.crew}
    for a, b in combinations(rounds, 2) if of is None else ((of, r) for r in rounds if r.pk != of.pk):
        both = f"'{a.name}' and '{b.name}'"
        tags = {j.instrument.tag for j in jobs[a.pk]} & {j.instrument.tag for j in jobs[b.pk]}
        out += [f"{tag} is on {both}." for tag in sorted(tags)]
        kit = {code for j in jobs[a.pk] for code in j.kit} & {code for j in jobs[b.pk] for code in j.kit}
        out += [f"{code} is taken by {both}." for code in sorted(kit)]
        for person in sorted({p for p, *_ in _tasks(jobs[a.pk])}):
            mine = [(s, e, t) for p, s, e, t in _tasks(jobs[a.pk]) if p == person]
            theirs = [(s, e, t) for p, s, e, t in _tasks(jobs[b.pk]) if p == person]
            clash = next(((x, y) for x in mine for y in theirs if x[0] < y[1] and y[0] < x[1]), None)
            if clash:
                (s, _, tag), (_, _, other) = clash
                out.append(f"{names.get(person, person)} is at {tag} and at {other} at {clock(max(s, clash[1][0]))}, by {both}.")
    return out


def _tasks(jobs: Iterable[RoundJob]) -> list[tuple[str, int, int, str]]:
    return [(p, int(t["start"]), int(t["end"]), j.instrument.tag) for j in jobs for t in j.tasks for p in t["people"]]


def overlaps_of(found: Round) -> list[str]:
    """What of a round is in another planned one of its day at the same time."""
    others = list(Round.objects.filter(day=found.day, status__in=PLANNED).exclude(pk=found.pk))
    return find_overlaps([found, *others], of=found) if others else []


def require_apart(found: Round) -> None:
    """Refuse to give a round out while somebody or something of it is in another one too."""
    overlaps = overlaps_of(found)
    if overlaps:
        told = " ".join([*overlaps[:5], "Build it anew, or take it out of one of them, then give it out."])
        raise Fault("in_two_places", told, field="status")
