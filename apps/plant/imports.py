"""Instruments from a file: read, previewed row by row, corrected, written in parts, and taken back whole."""

from __future__ import annotations

import re
import uuid
from collections.abc import Iterable, Iterator, Mapping, Sequence
from copy import copy
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import Count
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.journal.registers import write_changes, write_states
from apps.plant.columns import all_columns, find_column, get, put, unit_of_header
from apps.plant.following import tell_edited
from apps.plant.merging import differences
from apps.plant.models import ImportBatch, ImportRow, Instrument, InstrumentChange
from apps.plant.policies import is_spread
from apps.plant.register import Known, as_typed, fill
from apps.plant.services import DUE_FIELDS, set_first_due
from apps.plant.sheets import FORMULA, Table, column_letter, read_table
from config import background
from config.failures import Missing
from metrology.faults import Fault, Faults
from metrology.quantities.typed import parse_typed
from metrology.quantities.units import convert, convert_width

PART = 400
BUSY = ("reading", "writing", "undoing")
WITH_UNIT = re.compile(r"^\s*([-+]?[\d.,]+(?:[eE][-+]?\d+)?)\s*([^\d\s.,][^\s]*(?: \S+)?)\s*$")
WIDTHS = ("division", "tolerance_value", "tolerance2_value")


def start_import(*, actor: Person, name: str, data: bytes, now: datetime) -> ImportBatch:
    """Read a file; what is wrong with it as a whole is raised at once, its rows are judged beside the request."""
    require(actor, "edit the plant")
    table = read_table(name, data)
    columns = match_columns(table)
    batch = ImportBatch.objects.create(
        id=uuid.uuid4(), at=now, by=actor, name=name[:200], status="reading", total=len(table.rows), columns=columns
    )
    background.start(_read_rows, batch.id, table)
    batch.refresh_from_db()
    return batch


def match_columns(table: Table) -> list[dict[str, str]]:
    """Which field each column fills; a Fault when there is no tag, or two columns fill one field."""
    out, seen = [], dict[str, str]()
    for header in table.header:
        name, unit = unit_of_header(header)
        column = find_column(name) if name else None
        if column and column.key in seen:
            told = f"'{header}' and '{seen[column.key]}' both mean {column.label}. Which one counts can't be told: remove one."
            raise Fault("same_columns", told, field="file")
        if column:
            seen[column.key] = header
        out.append({"header": header, "field": column.key if column else "", "unit": unit})
    if "tag" not in seen:
        known = ", ".join(c.label for c in all_columns()[:12])
        raise Fault("no_tag_column", f"No column is called Tag. Known columns are {known} and more; see an export.", field="file")
    return out


def _read_rows(batch_id: uuid.UUID, table: Table) -> None:
    batch = ImportBatch.objects.get(pk=batch_id)
    try:
        header = table.header
        judge = RowJudge(batch.columns, [dict(zip(header, cells, strict=False)).get(_tag_header(batch), "") for _, cells in table.rows])
        for part in _parts(table.rows):
            made = [judge.row(batch, number, dict(zip(header, cells, strict=False))) for number, cells in part]
            with transaction.atomic():
                ImportRow.objects.bulk_create(made)
                batch.done += len(made)
                batch.save(update_fields=["done"])
        batch.status, batch.says = "ready", _read_words(batch)
    except Fault as fault:
        batch.status, batch.says = "refused", fault.message[:600]
    except Exception:
        batch.status, batch.says = "refused", "It could not be read to its end; nothing was written. Try it again, or a part of it."
        raise
    finally:
        batch.save(update_fields=["status", "says"])


def _read_words(batch: ImportBatch) -> str:
    over = [c["header"] for c in batch.columns if c["header"] and not c["field"]]
    return f"Columns passed over, since no field is called so: {', '.join(over)[:500]}." if over else ""


def _tag_header(batch: ImportBatch) -> str:
    return next(c["header"] for c in batch.columns if c["field"] == "tag")


def _parts(rows: Sequence[Any]) -> Iterator[Sequence[Any]]:
    for start in range(0, len(rows), PART):
        yield rows[start : start + PART]


class RowJudge:
    """Judges rows against the register as it is now; the tags of the file are looked up once."""

    def __init__(self, columns: list[dict[str, str]], tags: Iterable[str]) -> None:
        self.columns = [c for c in columns if c["field"]]
        self.letters = {c["field"]: column_letter(n) for n, c in enumerate(columns) if c["field"]}
        self.known = Known.for_many()
        wanted = {t.strip() for t in tags}
        self.existing = {i.tag: i for part in _parts(sorted(wanted)) for i in self._of(part)}
        self.seen: dict[str, int] = {}
        self.blank = Instrument(next_due=timezone.localdate())

    @staticmethod
    def _of(tags: Sequence[str]) -> Iterable[Instrument]:
        return Instrument.objects.select_related("area").filter(tag__in=tags)

    def row(self, batch: ImportBatch, number: int, cells: dict[str, str]) -> ImportRow:
        """The row with its fate."""
        row = ImportRow(batch=batch, number=number, cells={k: v for k, v in cells.items() if k})
        self.judge(row)
        return row

    def judge(self, row: ImportRow) -> Instrument | None:
        """Set the row's fate, faults and changes; the instrument as it would be, or None when the row is refused."""
        tag = str(row.cells.get(next(c["header"] for c in self.columns if c["field"] == "tag"), "")).strip()
        row.tag, row.faults, row.changes, row.understood = tag[:40], {}, {}, {}
        old = self.existing.get(tag)
        before = as_typed(old) if old else None
        instrument = copy(old or self.blank)
        try:
            data = self._data(row, before)
            self._require_once(row, tag)
            fill(instrument, data, self.known)
        except Faults as faults:
            row.faults = {self._at(f.field): f.message for f in faults.faults}
        except Fault as fault:
            row.faults = {self._at(fault.field): fault.message}
        if row.faults:
            row.fate = "refused"
            return None
        after = as_typed(instrument)
        row.changes = differences(before or {}, after) if before else {}
        row.understood = self._understood(row.cells, after)
        row.fate = "new" if before is None else "changed" if row.changes else "same"
        return instrument

    def _understood(self, cells: Mapping[str, Any], after: dict[str, Any]) -> dict[str, str]:
        """The cells that are taken otherwise than they are written: in another unit, a decimal comma, a choice by its word."""
        out = {}
        for c in self.columns:
            cell, taken = str(cells.get(c["header"], "")).strip(), get(after, c["field"])
            if cell and cell != taken:
                out[c["header"]] = taken
        return out

    def _at(self, field: str) -> str:
        """The column of a fault as the spreadsheet names it; the field's own name when it has no column."""
        return next((c["header"] for c in self.columns if c["field"].rpartition(".")[2] == field), field)

    def _require_once(self, row: ImportRow, tag: str) -> None:
        first = self.seen.setdefault(tag.casefold(), row.number) if tag else row.number
        if first != row.number:
            raise Fault("twice", f"{tag} stands in row {first} already. Each tag may stand once.", field="tag")

    def _data(self, row: ImportRow, before: Mapping[str, Any] | None) -> dict[str, Any]:
        data: dict[str, Any] = dict(before or {})
        faults: list[Fault] = []
        units: dict[str, str] = {}
        for c in self.columns:
            cell = str(row.cells.get(c["header"], ""))
            if cell == FORMULA:
                told = f"{self.letters[c['field']]}{row.number} holds a formula; put its value there."
                faults.append(Fault("formula", told, field=c["field"].rpartition(".")[2]))
                continue
            if put(data, c["field"], cell):
                units[c["field"]] = c["unit"]
        for name, unit in units.items():
            try:
                _in_own_unit(data, name, unit)
            except Fault as fault:
                fault.field = name
                faults.append(fault)
        if faults:
            raise Faults(faults)
        return data


def _in_own_unit(data: dict[str, Any], name: str, header_unit: str) -> None:
    """Bring a value into the unit of the range: the header names its unit, or the cell does."""
    wanted = str(data.get("unit") or "")
    is_tolerance = name.startswith("tolerance")
    if name not in ("lrv", "urv", *WIDTHS) or (is_tolerance and data.get(name.replace("value", "basis")) != "unit"):
        return
    text, unit = str(data[name]), header_unit
    found = WITH_UNIT.match(text)
    if found:
        text, unit = found.group(1), found.group(2)
    if not unit or unit == wanted or not wanted:
        return
    value = parse_typed(text, name=name, field=name).value
    change = convert_width if name in WIDTHS else convert
    data[name] = f"{change(value, unit, to_unit=wanted):.12g}"


def get_batch(batch_id: uuid.UUID) -> ImportBatch:
    """An import by id."""
    found = ImportBatch.objects.select_related("by").filter(pk=batch_id).first()
    if found is None:
        raise Missing("unknown_import", "There is no such import.")
    return found


def correct_row(*, actor: Person, batch_id: uuid.UUID, number: int, cells: Mapping[str, Any]) -> ImportRow:
    """Correct cells of a row in the preview; it is judged again."""
    require(actor, "edit the plant")
    batch = _require(batch_id, "ready", "It can be corrected until it is written.")
    row = batch.rows.filter(number=number).first()
    if row is None:
        raise Missing("unknown_row", f"The file has no row {number}.")
    headers = {c["header"] for c in batch.columns}
    row.cells = {**row.cells, **{k: str(v)[:2000] for k, v in cells.items() if k in headers}}
    judge = RowJudge(batch.columns, [str(row.cells.get(_tag_header(batch), ""))])
    tag = str(row.cells.get(_tag_header(batch), "")).strip()
    twin = batch.rows.filter(tag__iexact=tag, number__lt=number).first()
    if twin:
        judge.seen[tag.casefold()] = twin.number
    judge.judge(row)
    row.save()
    return row


def _require(batch_id: uuid.UUID, status: str, told: str) -> ImportBatch:
    batch = get_batch(batch_id)
    if batch.status != status:
        raise Fault("not_now", f"{batch.name} is {batch.status}. {told}")
    return batch


def write_import(
    *, actor: Person, batch_id: uuid.UUID, rows: Sequence[int] | None = None, leave: Sequence[int] = (), spreads: bool | None = None
) -> ImportBatch:
    """Write all rows that can be, or only those chosen, or all but some, into the register.

    spreads: new instruments of which nothing is known of before are due one after the other over their interval, and not all today; as the plant has it
    where it is not said.
    """
    require(actor, "edit the plant")
    spread = is_spread() if spreads is None else spreads
    if not ImportBatch.objects.filter(pk=batch_id, status="ready").update(status="writing", done=0):
        _require(batch_id, "ready", "It can be written once, when it has been read.")
    batch = get_batch(batch_id)
    wanted, left = set(rows or ()), set(leave)
    able = batch.rows.filter(fate__in=("new", "changed")).values_list("number", flat=True)
    numbers = [n for n in able if n not in left and (rows is None or n in wanted)]
    if not numbers:
        ImportBatch.objects.filter(pk=batch_id).update(status="ready")
        raise Fault("nothing_chosen", "None of the chosen rows can be written. Correct them, or choose others.")
    ImportBatch.objects.filter(pk=batch_id).update(total=len(numbers))
    background.start(_write_rows, batch_id, numbers, actor.pk, spread)
    return get_batch(batch_id)


def _write_rows(batch_id: uuid.UUID, numbers: Sequence[int], actor_id: int, spreads: bool) -> None:
    batch = get_batch(batch_id)
    judge = RowJudge(batch.columns, batch.rows.filter(number__in=numbers[:1]).values_list("tag", flat=True)) if len(numbers) < 2 else None
    judge = judge or RowJudge(batch.columns, batch.rows.values_list("tag", flat=True))
    kept = 0
    try:
        for part in _parts(numbers):
            with transaction.atomic():
                kept += _write_part(batch, judge, part, actor_id, spreads=spreads)
                batch.done += len(part)
                batch.save(update_fields=["done"])
        batch.says = f"{batch.done - kept} rows were written." + (f" {kept} were not: see their notes." if kept else "")
    except Exception:
        batch.says = f"It stopped after {batch.done} rows by an error. What was written stands and can be undone."
        raise
    finally:
        batch.status = "written"
        batch.save(update_fields=["status", "says"])


def _write_part(batch: ImportBatch, judge: RowJudge, numbers: Sequence[int], actor_id: int, *, spreads: bool) -> int:
    """Write one part; the count of rows that were not, because the register has moved on since the preview."""
    now, reason = timezone.now(), f"Imported from {batch.name}"[:300]
    new: list[tuple[ImportRow, Instrument]] = []
    changed: list[tuple[ImportRow, Instrument]] = []
    rows = list(batch.rows.filter(number__in=numbers))
    for row in rows:
        shown = row.fate, row.changes
        made = judge.judge(row)
        if made is None or (row.fate, row.changes) != shown:
            row.fate, row.changes, row.note = "kept", {}, "The register changed since the preview; not written. Import it again."
            continue
        (new if row.fate == "new" else changed).append((row, made))
        row.fate = "written"
    for _, made in new:
        set_first_due(made, timezone.localdate(now), spreads=spreads)
    for _, made in (*new, *changed):
        made.fold()
    Instrument.objects.bulk_create([i for _, i in new])
    if changed:
        names = [f.attname for f in Instrument._meta.concrete_fields if not f.primary_key]
        Instrument.objects.bulk_update([i for _, i in changed], [n.removesuffix("_id") if n == "area_id" else n for n in names])
    made_of = dict(Instrument.objects.filter(tag__in=[i.tag for _, i in (*new, *changed)]).values_list("tag", "pk"))
    write_states([i for _, i in (*new, *changed)])
    write_changes(
        InstrumentChange.objects.bulk_create(
            InstrumentChange(instrument_id=made_of[i.tag], at=now, by_id=actor_id, reason=reason, values=row.changes)
            for row, i in (*new, *changed)
        )
    )
    tell_edited(i for row, i in changed if DUE_FIELDS.intersection(row.changes))
    batch.rows.filter(number__in=[r.number for r, _ in (*new, *changed)]).update(fate="written")
    ImportRow.objects.bulk_update([r for r in rows if r.fate == "kept"], ["fate", "changes", "note", "faults"])
    return len(rows) - len(new) - len(changed)


def undo_import(*, actor: Person, batch_id: uuid.UUID) -> ImportBatch:
    """Take a written import back: new instruments go, changed ones get back what they had. What was used or edited since stays."""
    require(actor, "edit the plant")
    if not ImportBatch.objects.filter(pk=batch_id, status="written").update(status="undoing", done=0):
        _require(batch_id, "written", "Only what was written can be undone.")
    background.start(_undo_rows, batch_id, actor.pk)
    return get_batch(batch_id)


def _undo_rows(batch_id: uuid.UUID, actor_id: int) -> None:
    batch = get_batch(batch_id)
    rows = list(batch.rows.filter(fate="written"))
    batch.total = len(rows)
    kept = 0
    try:
        for part in _parts(rows):
            with transaction.atomic():
                kept += _undo_part(batch, part, actor_id)
                batch.done += len(part)
                batch.save(update_fields=["done", "total"])
        batch.says = f"{len(rows) - kept} rows were taken back." + (f" {kept} stay: see their notes." if kept else "")
        batch.status = "undone"
    except Exception:
        batch.status, batch.says = "written", f"Undoing stopped after {batch.done} rows by an error; try it again."
        raise
    finally:
        batch.save(update_fields=["status", "says"])


def _undo_part(batch: ImportBatch, rows: Sequence[ImportRow], actor_id: int) -> int:
    found = {i.tag: i for i in Instrument.objects.select_related("area").filter(tag__in=[r.tag for r in rows])}
    used = set(Instrument.objects.filter(tag__in=list(found), runs__isnull=False).values_list("tag", flat=True))
    edits = dict(InstrumentChange.objects.filter(instrument__tag__in=list(found)).values_list("instrument_id").annotate(Count("pk")))
    known, now, kept = Known.for_many() if any(r.changes for r in rows) else Known({}), timezone.now(), 0
    gone: list[int] = []
    for row in rows:
        i = found.get(row.tag)
        if i is None:
            row.fate, row.note = "undone", "It was not there any more."
            continue
        if row.changes:
            told = _give_back(i, row, known)
        else:
            told = "It has runs of its own by now." if row.tag in used else "It was edited since." if edits.get(i.pk, 0) > 1 else ""
            if not told:
                gone.append(i.pk)
        if told:
            row.fate, row.note, kept = "kept", f"{told} It stays as it is.", kept + 1
            continue
        row.fate = "undone"
        if row.changes:
            i.save()
            tell_edited([i] if DUE_FIELDS.intersection(row.changes) else [])
            back = {k: [v[1], v[0]] for k, v in row.changes.items()}
            InstrumentChange.objects.create(
                instrument=i, at=now, by_id=actor_id, reason=f"Import of {batch.name} taken back"[:300], values=back
            )
    Instrument.objects.filter(pk__in=gone).delete()
    batch.rows.filter(number__in=[r.number for r in rows if r.fate == "undone" and not r.note]).update(fate="undone")
    ImportRow.objects.bulk_update([r for r in rows if r.note], ["fate", "note"])
    return kept


def _give_back(i: Instrument, row: ImportRow, known: Known) -> str:
    """Put the old values back onto the instrument; why not, when somebody changed them since."""
    now_typed = as_typed(i)
    data = dict(now_typed)
    for key, (old, new) in row.changes.items():
        group, _, name = key.rpartition(".")
        here = data.get(group, {}).get(name, "") if group else data.get(name, "")
        if here != new:
            return "It was edited since."
        put(data, key, old, clears=True)
    try:
        fill(i, data, known)
    except (Fault, Faults):
        return "Its old values don't hold together any more."
    return ""


def discard_import(*, actor: Person, batch_id: uuid.UUID) -> None:
    """Throw a preview away; a written import stays on record."""
    require(actor, "edit the plant")
    if get_batch(batch_id).status not in ("ready", "refused"):
        raise Fault("not_now", "Only a preview can be thrown away; what was written can be undone.")
    ImportBatch.objects.filter(pk=batch_id).delete()
