"""Which tables the journal follows: registers, whose rows it holds as they stood, and lists of changes, whose rows are added once and stay."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any, cast

from django.apps import apps
from django.db import models
from django.db.models.fields.files import FieldFile
from django.db.models.signals import post_delete, post_save

from apps.journal.actor import actor
from apps.journal.models import Entry
from apps.journal.verify import digest_of_file
from apps.journal.writing import BATCH, Told, canonical, digest_of, write


@dataclass(frozen=True)
class Register:
    """A table whose rows are followed. but: columns that are worked out of something else, or say nothing of what the row stands for."""

    model: str
    kind: str
    subject: str
    but: frozenset[str] = frozenset()

    @property
    def table(self) -> type[models.Model]:
        """Its model."""
        return apps.get_model(self.model)


def _but(text: str) -> frozenset[str]:
    return frozenset(text.split())


WORKED_OUT = _but(
    "search_key tag_key next_due first_due due_why doubt last_done_on last_found last_left last_check_on life_ends_on signal_ends_on next_check"
)
REGISTERS = (
    Register("accounts.Person", "person", "username", _but("last_login password")),
    Register("accounts.Qualification", "qualification", "pk"),
    Register("plant.Area", "area", "code"),
    Register("plant.Instrument", "instrument", "pk", WORKED_OUT),
    Register("kit.Reference", "reference", "code"),
    Register("kit.GasBottle", "gas bottle", "code", _but("litres_drawn")),
    Register("kit.GasFitting", "gas fitting", "code", _but("stays_on purged_on place_told_at")),
    Register("kit.Buffer", "buffer", "code"),
    Register("kit.Solution", "solution", "code"),
    Register("kit.Syringe", "syringe", "code"),
    Register("kit.Trap", "trap", "code", _but("is_capped")),
    Register("safety.SafetyFunction", "function", "code"),
    Register("safety.FunctionMember", "member", "pk"),
    Register("plant.Trigger", "report", "pk", _but("settled_at settled_by")),
    Register("plant.Deferral", "deferral", "pk", _but("is_over note")),
    Register("planning.Round", "round", "pk", _but("status result stop_asked")),
    Register("planning.RoundJob", "job of a round", "pk", _but("is_locked")),
)
CHANGES = (
    Register("plant.InstrumentChange", "change of instrument", "instrument_id"),
    Register("plant.PolicyChange", "policy", "name"),
    Register("kit.KitChange", "change of kit", "code"),
    Register("accounts.PersonChange", "change of person", "person_id"),
    Register("safety.FunctionChange", "change of function", "function_id"),
    Register("followups.FollowUpChange", "follow-up", "follow_up_id"),
)
FILES = (Register("kit.KitFile", "file of kit", "code"), Register("plant.InstrumentFile", "file of instrument", "instrument_id"))
FOLLOWED = {r.model.lower(): r for r in (*REGISTERS, *CHANGES, *FILES)}


def values_of(row: models.Model, but: Iterable[str] = ()) -> dict[str, Any]:
    """A row by its columns, as the database keeps them."""
    told = {f.attname: f.value_from_object(row) for f in row._meta.concrete_fields if f.attname not in but}
    return {k: v.name if isinstance(v, FieldFile) else v for k, v in told.items()}


def state_of(register: Register, row: models.Model) -> str:
    """The digest of a row of a register."""
    return digest_of(canonical(_plain(values_of(row, register.but))))


def _plain(values: dict[str, Any]) -> dict[str, Any]:
    """Numbers that the database gives back as others are made alike: 1 and 1.0 are one value."""
    return {k: float(v) if isinstance(v, int) and not isinstance(v, bool) else v for k, v in values.items()}


def subject_of(register: Register, row: models.Model) -> str:
    """By what the journal knows a row."""
    return str(getattr(row, register.subject))


def file_digest(row: models.Model) -> str:
    """SHA-256 of the file of a row; empty where it is gone."""
    try:
        with cast(Any, row).file.open("rb") as file:
            return str(digest_of_file(file))
    except (OSError, ValueError):
        return ""


def last_digests(kind: str, subjects: Sequence[str]) -> dict[str, str]:
    """The digest under which each row stands in the journal now; empty of one that is gone. One that was never there is not in it."""
    out: dict[str, str] = {}
    for n in range(0, len(subjects), BATCH):
        part = Entry.objects.filter(kind=kind, subject__in=subjects[n : n + BATCH], place=0).order_by("seq")
        out.update(part.values_list("subject", "digest"))
    return out


def states(register: Register, pks: Sequence[Any]) -> list[Told]:
    """Entries of rows as the database has them, of those that stand otherwise in the journal."""
    rows = [row for n in range(0, len(pks), BATCH) for row in register.table._base_manager.in_bulk(pks[n : n + BATCH]).values()]
    known = last_digests(register.kind, [subject_of(register, row) for row in rows])
    out = []
    for row in rows:
        subject, digest = subject_of(register, row), state_of(register, row)
        if known.get(subject) != digest:
            out.append(Told(register.kind, subject, {"row": values_of(row, register.but), "by": actor()}, digest=digest))
    return out


def write_states(rows: Sequence[models.Model]) -> None:
    """For rows that were written together: what a save of each alone would have written."""
    if rows:
        write(states(FOLLOWED[rows[0]._meta.label_lower], [row.pk for row in rows]))


def write_changes(rows: Sequence[models.Model]) -> None:
    """For changes that were written together."""
    write(_change(FOLLOWED[row._meta.label_lower], row) for row in rows)


def _change(register: Register, row: models.Model) -> Told:
    digest = file_digest(row) if register in FILES else state_of(register, row)
    return Told(register.kind, subject_of(register, row), {"row": values_of(row), "by": actor()}, place=cast(int, row.pk), digest=digest)


def _saved(sender: type[models.Model], instance: models.Model, created: bool, raw: bool = False, **_: Any) -> None:
    register = FOLLOWED.get(sender._meta.label_lower)
    if register is None or raw:
        return
    if register in REGISTERS:
        write(states(register, [instance.pk]))
    elif created:
        write([_change(register, instance)])


def _deleted(sender: type[models.Model], instance: models.Model, **_: Any) -> None:
    register = FOLLOWED.get(sender._meta.label_lower)
    if register is None:
        return
    place = 0 if register in REGISTERS else cast(int, instance.pk)
    write([Told(register.kind, subject_of(register, instance), {"gone": values_of(instance, register.but), "by": actor()}, place=place)])


def follow() -> None:
    """Begin to follow: from now on what is saved is written."""
    for label in FOLLOWED:
        model = apps.get_model(label)
        post_save.connect(_saved, sender=model, dispatch_uid=f"journal saved {label}")
        post_delete.connect(_deleted, sender=model, dispatch_uid=f"journal deleted {label}")
