"""The registers that a file may fill: their columns, what is there, and how one row of theirs is stored and taken out again.

A row is stored by the same verbs as a form, so that a file can't put in what a form would refuse.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping
from datetime import datetime
from typing import Any

from django.db.models import ProtectedError

from apps.accounts.models import Person, Qualification
from apps.accounts.people import store_person
from apps.accounts.qualifications import folded
from apps.kit.models import KitChange
from apps.kit.register import GROUPS, add_item, as_typed, edit_item
from apps.plant.models import Area
from apps.plant.services import area_form, store_area
from apps.runs.models import KitUse
from config.failures import Missing
from metrology.faults import Fault

Typed = dict[str, str]
YES = {"yes": True, "y": True, "true": True, "1": True, "no": False, "n": False, "false": False, "0": False, "": False}


class Register(ABC):
    """One register. columns: name and label of each; the first is the key, unless key() says otherwise."""

    title: str
    action: str  # of the policy
    columns: tuple[tuple[str, str], ...]

    def key(self, cells: Mapping[str, str]) -> str:
        """What a row is told by."""
        return cells.get(self.columns[0][0], "").strip()

    @abstractmethod
    def find(self, cells: Mapping[str, str]) -> Typed | None:
        """What is there under the row's key, as a form shows it; None where nothing is."""

    @abstractmethod
    def store(self, actor: Person, cells: Mapping[str, str], now: datetime, reason: str) -> None:
        """Store the row, or raise every fault of it."""

    @abstractmethod
    def remove(self, cells: Mapping[str, str], now: datetime) -> str:
        """Take out what a row put in; why not, where it is in use by now."""

    @abstractmethod
    def all(self) -> Iterator[Typed]:
        """Everything that is there, as the columns have it."""


def flag(text: str, label: str, field: str) -> bool:
    """yes or no; anything else is refused."""
    if text.strip().casefold() not in YES:
        raise Fault("not_a_flag", f"{label} is '{text[:30]}'; write yes or no.", field=field)
    return YES[text.strip().casefold()]


class Areas(Register):
    """The areas of the plant."""

    title, action = "Areas", "edit the plant"
    columns = (
        ("code", "Code"),
        ("name", "Name"),
        ("needs_permit", "Needs a permit"),
        ("east_m", "Metres east"),
        ("north_m", "Metres north"),
    )

    def find(self, cells: Mapping[str, str]) -> Typed | None:
        found = Area.objects.filter(code__iexact=self.key(cells)).first()
        return self._typed(found) if found else None

    def store(self, actor: Person, cells: Mapping[str, str], now: datetime, reason: str) -> None:
        data: dict[str, Any] = dict(cells)
        if "needs_permit" in data:
            data["needs_permit"] = flag(cells["needs_permit"], "Needs a permit", "needs_permit")
        store_area(actor=actor, code=self.key(cells), data=data)

    def remove(self, cells: Mapping[str, str], now: datetime) -> str:
        try:
            Area.objects.filter(code__iexact=self.key(cells)).delete()
        except ProtectedError:
            return "It has instruments by now."
        return ""

    def all(self) -> Iterator[Typed]:
        return (self._typed(a) for a in Area.objects.all())

    @staticmethod
    def _typed(a: Area) -> Typed:
        return {**{k: str(v) for k, v in area_form(a).items()}, "needs_permit": "yes" if a.needs_permit else "no"}


class Kit(Register):
    """One group of the kit."""

    action = "edit the kit"

    def __init__(self, group: str) -> None:
        self.group = group
        self.model, self.title, self.fields = GROUPS[group]
        self.columns = tuple((f.name, f"{f.label} ({f.unit})" if f.unit else f.label) for f in self.fields)
        self.flags = {f.name: f.label for f in self.fields if f.kind == "flag"}

    def find(self, cells: Mapping[str, str]) -> Typed | None:
        found = self.model._default_manager.filter(code=self.key(cells)).first()
        return as_typed(self.group, found) if found else None

    def store(self, actor: Person, cells: Mapping[str, str], now: datetime, reason: str) -> None:
        data = {**cells, **{n: "yes" if flag(cells[n], label, n) else "" for n, label in self.flags.items() if n in cells}}
        if self.find(cells) is None:
            add_item(actor=actor, group=self.group, data=data, now=now)
        else:
            edit_item(actor=actor, group=self.group, code=self.key(cells), data={**data, "reason": reason}, now=now)

    def remove(self, cells: Mapping[str, str], now: datetime) -> str:
        code = self.key(cells)
        if KitUse.objects.filter(item=code).exists():
            return "Runs have used it by now."
        if KitChange.objects.filter(group=self.group, code=code).count() > 1:
            return "It was changed since."
        self.model._default_manager.filter(code=code).delete()
        KitChange.objects.filter(group=self.group, code=code).delete()
        return ""

    def all(self) -> Iterator[Typed]:
        return (as_typed(self.group, item) for item in self.model._default_manager.order_by("code"))


class People(Register):
    """People with their roles, a row for each qualification."""

    title, action = "People and qualifications", "look after people"
    columns = (
        ("username", "User name"), ("first_name", "First name"), ("last_name", "Last name"), ("role", "Role"), ("qualification", "Qualified for"),
        ("until", "Last day"), ("proof", "What shows it"),
    )  # fmt: skip

    def key(self, cells: Mapping[str, str]) -> str:
        what = folded(cells.get("qualification", ""))
        return f"{cells.get('username', '').strip().casefold()}{f', {what}' if what else ''}"

    def find(self, cells: Mapping[str, str]) -> Typed | None:
        username, _, name = self.key(cells).partition(", ")
        person = Person.objects.filter(username=username).first()
        held = Qualification.objects.filter(person=person, name=name, ended_at=None).first() if person and name else None
        if person is None or (name and held is None):
            return None  # a row is a person, or a qualification of one
        return self._typed(person, held)

    def store(self, actor: Person, cells: Mapping[str, str], now: datetime, reason: str) -> None:
        store_person(actor=actor, data=cells, now=now)

    def remove(self, cells: Mapping[str, str], now: datetime) -> str:
        return "People stay on the list, since what they sign stays. Take the qualification away under People."

    def all(self) -> Iterator[Typed]:
        for p in Person.objects.filter(is_active=True).order_by("username").prefetch_related("qualifications"):
            held: list[Qualification | None] = [q for q in p.qualifications.all() if q.ended_at is None]
            yield from (self._typed(p, q) for q in held or [None])

    @staticmethod
    def _typed(p: Person, q: Qualification | None) -> Typed:
        return {
            "username": p.username, "first_name": p.first_name, "last_name": p.last_name, "role": p.role, "qualification": q.name if q else "",
            "until": q.until.isoformat() if q and q.until else "", "proof": q.proof if q else "",
        }  # fmt: skip


REGISTERS: dict[str, Register] = {"areas": Areas(), **{group: Kit(group) for group in GROUPS}, "people": People()}


def register_of(kind: str) -> Register:
    """A register by its name."""
    if kind not in REGISTERS:
        raise Missing("unknown_register", f"There is no register '{kind[:30]}' that a file could fill.", field="kind")
    return REGISTERS[kind]
