"""A file into a register: previewed row by row as it would be stored, written, and taken back."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.db import transaction

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.intake.models import Intake
from apps.intake.registers import Register, register_of
from apps.kit.certificates import read_certificate
from apps.kit.models import Reference
from apps.kit.register import get_item
from apps.kit.services import attach, certificate_form
from apps.plant.sheets import FORMULA, Table, read_table
from config.failures import Missing
from metrology.faults import Fault, Faults

MAX_ROWS = 2000
NEW, CHANGED, SAME, REFUSED, WRITTEN, UNDONE, KEPT = "new", "changed", "same", "refused", "written", "undone", "kept"


def preview(*, actor: Person, kind: str, name: str, data: bytes, now: datetime) -> Intake:
    """Read a file and judge each row by storing it and taking that back at once; nothing is written."""
    register = register_of(kind)
    require(actor, register.action)
    table = read_table(name, data)
    if len(table.rows) > MAX_ROWS:
        raise Fault("too_many_rows", f"{name} has {len(table.rows)} rows; at most {MAX_ROWS} are read into this register.", field="file")
    at, over = _match(register, table)
    seen: dict[str, int] = {}
    rows = [_judge(actor, register, n, {k: cells[i] for k, i in at.items() if i < len(cells)}, seen, now) for n, cells in table.rows]
    says = f"Columns passed over, since no field is called so: {', '.join(over)[:500]}." if over else ""
    return Intake.objects.create(kind=kind, name=name[:200], at=now, by=actor, rows=rows, says=says)


def preview_certificate(
    *, actor: Person, code: str, name: str, data: bytes, number: str = "", calibrated_on: str = "", now: datetime
) -> Intake:
    """A certificate as data, previewed as the change of its reference that it would be; the file is attached once it is written."""
    register = register_of("reference")
    require(actor, register.action)
    item: Reference = get_item("reference", code)
    found = read_certificate(name, data, unit=item.unit)
    cells = certificate_form(item, found, number=number, calibrated_on=calibrated_on)
    row = _judge(actor, register, 1, cells, {}, now)
    if row["fate"] == REFUSED:
        raise Faults([Fault("bad_certificate", told, field="file") for told in row["faults"].values()])
    says = " ".join([f"{len(found.points)} points.", *found.says])[:600]
    return Intake.objects.create(kind="reference", name=name[:200], at=now, by=actor, rows=[row], says=says, data=data)


def _match(register: Register, table: Table) -> tuple[dict[str, int], list[str]]:
    """Which column of the file fills which field, and which are passed over."""
    names = {text.casefold(): key for key, label in register.columns for text in (key, label, label.partition(" (")[0])}
    at: dict[str, int] = {}
    over = []
    for n, header in enumerate(table.header):
        key = names.get(" ".join(header.split()).casefold())
        if key is None:
            over.append(header) if header else None
        elif key in at:
            raise Fault("same_columns", f"'{header}' and '{table.header[at[key]]}' mean the same. Remove one.", field="file")
        else:
            at[key] = n
    first = register.columns[0]
    if first[0] not in at:
        known = ", ".join(label for _, label in register.columns)
        raise Fault("no_key_column", f"No column is called {first[1]}. Known columns are {known}.", field="file")
    return at, over


def _judge(actor: Person, register: Register, number: int, cells: dict[str, str], seen: dict[str, int], now: datetime) -> dict[str, Any]:
    """A row with its fate: stored for a moment, looked at, and taken back."""
    key = register.key(cells)
    row: dict[str, Any] = {
        "number": number, "key": key[:80], "fate": REFUSED, "cells": cells, "understood": {}, "faults": {}, "changes": {}, "before": None, "note": "",
    }  # fmt: skip
    formulas = [k for k, v in cells.items() if v == FORMULA]
    if formulas:
        row["cells"] = {k: "a formula" if k in formulas else v for k, v in cells.items()}
        row["faults"] = dict.fromkeys(formulas, "It holds a formula; put its value there.")
        return row
    first = seen.setdefault(key.casefold(), number)
    if first != number:
        row["faults"] = {register.columns[0][0]: f"{key} stands in row {first} already. Each may stand once."}
        return row
    before = register.find(cells)
    try:
        after = _as_it_would_be(actor, register, cells, now)
    except Faults as faults:
        row["faults"] = {f.field or register.columns[0][0]: f.message for f in faults.faults}
        return row
    except Fault as fault:
        row["faults"] = {fault.field or register.columns[0][0]: fault.message}
        return row
    row["before"] = before
    row["understood"] = {k: v for k, v in after.items() if v != cells.get(k, "")}
    row["changes"] = {k: [before.get(k, ""), v] for k, v in after.items() if before.get(k, "") != v} if before else {}
    row["fate"] = NEW if before is None else CHANGED if row["changes"] else SAME
    return row


def _as_it_would_be(actor: Person, register: Register, cells: Mapping[str, str], now: datetime) -> dict[str, str]:
    with transaction.atomic():
        register.store(actor, cells, now, "preview")
        after = register.find(cells) or {}
        transaction.set_rollback(True)
    return after


def get_intake(intake_id: uuid.UUID) -> Intake:
    """A file by id."""
    found = Intake.objects.select_related("by").filter(pk=intake_id).first()
    if found is None:
        raise Missing("unknown_import", "There is no such import.")
    return found


def _lock(intake_id: uuid.UUID, status: str, told: str) -> Intake:
    """The file, for whoever comes first."""
    found = get_intake(intake_id)
    if not Intake.objects.filter(pk=intake_id, status=status).update(status="busy"):
        raise Fault("not_now", f"{found.name} is {found.status}. {told}")
    return found


@transaction.atomic
def write(*, actor: Person, intake_id: uuid.UUID, leave: list[int], now: datetime) -> Intake:
    """Write every row that can be, but those that are left out; a row whose register has moved on since is not."""
    register = register_of(get_intake(intake_id).kind)
    require(actor, register.action)
    found = _lock(intake_id, "ready", "It can be written once.")
    able = [r for r in found.rows if r["fate"] in (NEW, CHANGED) and r["number"] not in leave]
    if not able:
        raise Fault("nothing_chosen", "None of the rows can be written. Correct them in the file, or choose others.")
    for row in able:
        if register.find(row["cells"]) != row["before"]:
            row["fate"], row["note"] = KEPT, "The register changed since the preview; not written. Read the file again."
            continue
        try:
            with transaction.atomic():
                register.store(actor, row["cells"], now, f"From {found.name}")
        except Fault as fault:
            row["fate"], row["note"] = KEPT, f"Not written: {fault.message}"
        else:
            row["fate"], row["after"] = WRITTEN, register.find(row["cells"])
            if found.data:
                attach(actor=actor, group=found.kind, code=row["key"], name=found.name, data=bytes(found.data), now=now)
    return _end(found, "written", WRITTEN, "written")


def _end(found: Intake, status: str, fate: str, word: str) -> Intake:
    done, kept = (sum(r["fate"] == f for r in found.rows) for f in (fate, KEPT))
    told = f"{done} {'row was' if done == 1 else 'rows were'} {word}."
    found.status, found.says = status, told + (f" {kept} {'is' if kept == 1 else 'are'} left as before: see the notes." if kept else "")
    found.save()
    return found


@transaction.atomic
def undo(*, actor: Person, intake_id: uuid.UUID, now: datetime) -> Intake:
    """Take a written file back: what was new goes, what was changed gets back what it had; what was used or changed since stays."""
    register = register_of(get_intake(intake_id).kind)
    require(actor, register.action)
    found = _lock(intake_id, "written", "Only what was written can be taken back.")
    for row in reversed([r for r in found.rows if r["fate"] == WRITTEN]):
        told = _take_back(actor, register, found, row, now)
        row["fate"], row["note"] = (KEPT, f"{told} It stays as it is.") if told else (UNDONE, "")
    return _end(found, "undone", UNDONE, "taken back")


def _take_back(actor: Person, register: Register, found: Intake, row: dict[str, Any], now: datetime) -> str:
    if register.find(row["cells"]) != row["after"]:
        return "It was changed since."
    if row["before"] is None:
        return register.remove(row["cells"], now)
    try:
        with transaction.atomic():
            register.store(actor, row["before"], now, f"Taken back: {found.name}")
    except Fault as fault:
        return fault.message
    return ""


def discard(*, actor: Person, intake_id: uuid.UUID) -> None:
    """Throw a preview away."""
    found = get_intake(intake_id)
    require(actor, register_of(found.kind).action)
    if found.status != "ready":
        raise Fault("not_now", "Only a preview can be thrown away; what was written can be taken back.")
    found.delete()
