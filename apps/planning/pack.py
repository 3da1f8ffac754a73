"""The round on paper, for when every battery is dead: its sheet, and for each person their part in working order with blanks for each job."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.utils import timezone
from reportlab.platypus import Flowable, KeepTogether, PageBreak, Spacer

from apps.planning.following import job_rows
from apps.planning.loading import load_list
from apps.planning.models import Round
from apps.planning.pack_sheet import job_sheet
from apps.planning.printing import BOLDER, HEADING, TITLE, p, printed, table
from apps.planning.solver.problem import clock
from apps.planning.unfit import unfit_kit
from apps.plant.models import Instrument
from config.failures import Missing

PAPER_RULE = (
    "Site procedures, permits and local codes rule over these sheets. Write the time at which each value was read. "
    "Typed in afterwards it is marked as read on paper, with both times."
)


def make_pack(found: Round, now: datetime, person: str = "") -> bytes:
    """The pack as a PDF: of one person, by username, or of everybody one after the other behind the sheet of the whole round."""
    crew = [c for c in found.crew if person in ("", c["username"])]
    if not crew:
        raise Missing("unknown_person", f"{person[:40]} is not on this round.", field="person")
    rows = sorted((r for r in job_rows(found, now) if r["tasks"]), key=lambda r: r["tasks"][0]["start"])
    instruments = {i.tag: i for i in Instrument.objects.select_related("area").filter(tag__in=[r["tag"] for r in rows])}
    load, unfit = load_list(found), unfit_kit(found)
    story: list[Flowable] = [] if person else [*_sheet(found, rows), *_warned(load, unfit)]
    printed_before: set[str] = set()
    for member in crew:
        mine = _of_person(rows, member["username"])
        if not mine and not person:
            continue
        story += [PageBreak()] if story else []
        story += [
            *_own_sheet(found, member, mine),
            *(_warned(load, unfit) if person else []),
            *_own_load(load, member["name"], {r["tag"] for r in mine}),
        ]
        for row in mine:
            if row["tag"] in printed_before:
                continue  # a job of two people is written down once, in the part of whom it stands with first
            printed_before.add(row["tag"])
            told = [u["says"] for u in unfit if row["tag"] in u["tags"]]
            story.append(KeepTogether(job_sheet(instruments[row["tag"]], row, told)))
    who = f", {crew[0]['name']}" if person else ""
    title = f"{found.name}{who}"
    return printed(title, f"{title}, printed {timezone.localtime(now):%-d %b %Y %H:%M}, as the kit stood then", story)


def _of_person(rows: list[dict[str, Any]], username: str) -> list[dict[str, Any]]:
    """The jobs of a person in the order in which they begin them."""
    mine = [
        (min(t["start"] for t in r["tasks"] if username in t["people"]), r)
        for r in rows
        if any(username in t["people"] for t in r["tasks"])
    ]
    return [r for _, r in sorted(mine, key=lambda m: m[0])]


def _when(row: dict[str, Any], username: str = "") -> str:
    return ", ".join(f"{clock(t['start'])} to {clock(t['end'])}" for t in row["tasks"] if username in ("", *t["people"]))


def _sheet(found: Round, rows: list[dict[str, Any]]) -> list[Flowable]:
    crew = ", ".join(f"{c['name']} {clock(c['start'])} to {clock(c['end'])}" for c in found.crew)
    lines = [
        [_when(r), r["tag"], r["service"], r["area"], " and ".join(dict.fromkeys(n for t in r["tasks"] for n in t["names"])), ""]
        for r in rows
    ]
    return [
        p(f"{found.name}, {found.day:%A %-d %B %Y}", TITLE),
        p(crew),
        *_permits(found),
        Spacer(1, 6),
        table(["When", "Tag", "Service", "Area", "Who", "Done at"], lines, [30, 24, 46, 34, 26, 18]),
    ]


def _own_sheet(found: Round, member: dict[str, Any], mine: list[dict[str, Any]]) -> list[Flowable]:
    """What somebody does, in working order."""
    username = member["username"]
    lines = []
    for r in mine:
        beside = [n for t in r["tasks"] for n in t["names"] if username in t["people"] and n != member["name"]]
        lines.append([_when(r, username), r["tag"], r["service"], r["area"], " and ".join(dict.fromkeys(beside)), ""])
    return [
        p(f"{member['name']}, {found.name}, {found.day:%A %-d %B %Y}", TITLE),
        p(f"{clock(member['start'])} to {clock(member['end'])}. {PAPER_RULE}"),
        *_permits(found),
        Spacer(1, 6),
        table(["When", "Tag", "Service", "Area", "With", "Done at"], lines, [30, 24, 46, 34, 26, 18])
        if lines
        else p("Nothing is planned for them."),
    ]


def _permits(found: Round) -> list[Flowable]:
    return [p(f"Permit for {code}: {clock(w[0])} to {clock(w[1])}.") for code, w in found.permits.items()]


def _warned(load: dict[str, Any], unfit: list[dict[str, Any]]) -> list[Flowable]:
    """What is not to be had, and what must not be used any more."""
    told = [f"Not to be had: {says}" for says in load["lacks"]]
    told += [f"Not to be used: {u['says']} It is planned for {', '.join(u['tags'])}." for u in unfit]
    return [p(text, BOLDER) for text in told]


def _told(words: str, handed: str) -> str:
    return f"{words}. {handed}." if handed else words


def _own_load(load: dict[str, Any], name: str, tags: set[str]) -> list[Flowable]:
    """What somebody takes along."""
    things = [[k["code"], _told(k["words"], k["handed"])] for k in (*load["kit"], *load["more"]) if name in k["who"]]
    things += [[g["code"], _told(f"{g['litres']} l of {g['left']} l left", g["handed"])] for g in load["gas"] if name in g["who"]]
    worn = [(w["what"], [t for t in w["tags"] if t in tags]) for w in load["wear"]]
    wear = [[what, ", ".join(mine[:12]) + (" …" if len(mine) > 12 else "")] for what, mine in worn if mine]
    return [p("To take along", HEADING), table(["What", "How much, for what"], [*things, *wear], [60, 118]), Spacer(1, 8)]
