"""Tables in files: CSV and XLSX read into rows of text with every fault named, and written so that no program runs what is in a cell."""

from __future__ import annotations

import csv
import io
import re
import zipfile
import zlib
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from openpyxl import Workbook, load_workbook
from openpyxl.utils import get_column_letter
from openpyxl.utils.exceptions import InvalidFileException

from metrology.faults import Fault

MAX_BYTES = 20 * 2**20
MAX_UNPACKED = 150 * 2**20
MAX_RATIO = 100  # of unpacked to packed: a table of text packs to a tenth or a twentieth, not to a thousandth
SMALL_PART = 2**20
MAX_COLUMNS = 1000
MAX_ROWS = 100_000
MAX_CELL = 2_000
RUNS_AS_FORMULA = ("=", "+", "-", "@", "\t", "\r", "\uff1d", "\uff0b", "\uff0d", "\uff20")  # the last four: full width
MARK = "\ue000"
FORMULA = f"{MARK}formula"  # stands in a row for a cell that held a formula; the character can't come from a file

XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"  # media type


@dataclass(frozen=True)
class Table:
    """A header and rows of text; numbers count as the spreadsheet does, so the first row under the header is 2."""

    header: list[str]
    rows: list[tuple[int, list[str]]]


def read_table(name: str, data: bytes) -> Table:
    """The table in a file of that name; raises a Fault saying what is wrong with the file as a whole."""
    if not data:
        raise Fault("empty_file", f"{name} is empty. Nothing was read.", field="file")
    if len(data) > MAX_BYTES:
        raise too_large(name, len(data))
    table = _read_xlsx(name, data) if data[:4] == b"PK\x03\x04" else _read_csv(name, data)
    _check_header(name, table.header)
    if not table.rows:
        raise Fault("no_rows", f"{name} has a header and no rows under it. Nothing was read.", field="file")
    return table


def too_large(name: str, size: int, most: int = MAX_BYTES) -> Fault:
    """The refusal of a file beyond what is taken; of a workbook, of what it unpacks to."""
    told = f"{name} is {size / 2**20:.0f} MB; at most {most // 2**20} MB are taken. Nothing was read. Split it by area."
    return Fault("too_large", told, field="file")


def _check_header(name: str, header: Sequence[str]) -> None:
    if len(header) > MAX_COLUMNS:
        raise Fault("too_many_columns", f"{name} has {len(header)} columns; at most {MAX_COLUMNS} are read.", field="file")
    if not any(header):
        raise Fault("no_header", f"The first row of {name} must name the columns; it is empty.", field="file")
    twice = [f"'{h}' ({n} times)" for h, n in Counter(h.casefold() for h in header if h).items() if n > 1]
    if twice:
        told = f"{name} has columns of the same name: {', '.join(twice)}. Which one counts can't be told: rename or remove them."
        raise Fault("same_columns", told, field="file")


def _read_csv(name: str, data: bytes) -> Table:
    text = _decode(name, data)
    sample = text[:20_000]
    first = sample.splitlines()[0] if sample else ""
    delimiter = max(";,\t", key=first.count)
    rows: list[tuple[int, list[str]]] = []
    try:
        reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
        header = [_clean(c) for c in next(reader, [])]
        for n, cells in enumerate(reader, start=2):
            if any(c.strip() for c in cells):
                rows.append((n, [_clean(c) for c in cells]))
            if len(rows) > MAX_ROWS:
                raise _too_many(name)
    except csv.Error as error:
        raise Fault("bad_csv", f"{name} can't be read as a table: {error}. Is a quotation mark left open?", field="file") from error
    return Table(header, rows)


def _decode(name: str, data: bytes) -> str:
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        encoding = "utf-16"
    elif b"\x00" in data[:4096]:
        raise Fault("wrong_kind", f"{name} is neither a CSV table nor an XLSX workbook. Nothing was read.", field="file")
    else:
        encoding = "utf-8-sig"
    try:
        return data.decode(encoding)
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        told = f"{name} is not in UTF-8: line {line} holds a character that can't be read. Save it again as 'CSV UTF-8'. Nothing was read."
        raise Fault("wrong_encoding", told, field="file", line=line) from error


def _read_xlsx(name: str, data: bytes) -> Table:
    _look_inside(name, data)
    try:
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=False)
    except (InvalidFileException, zipfile.BadZipFile, KeyError, ValueError, OSError) as error:
        raise Fault(
            "wrong_kind", f"{name} can't be opened as an XLSX workbook. Save it anew, or as CSV. Nothing was read.", field="file"
        ) from error
    sheet = book.worksheets[0]
    sheet.reset_dimensions()
    lines = sheet.iter_rows()
    header = [_cell(c) for c in next(lines, ())]
    rows: list[tuple[int, list[str]]] = []
    for n, cells in enumerate(lines, start=2):
        row = [_cell(c) for c in cells[:MAX_COLUMNS]]
        if any(row):
            rows.append((n, row))
        if len(rows) > MAX_ROWS:
            raise _too_many(name)
    while header and not header[-1]:
        header.pop()
    return Table(header, rows)


def _look_inside(name: str, data: bytes) -> None:
    """Refuse a workbook that unpacks to more than is sane, and merged cells, whose value belongs to one cell only."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            _require_sane(name, packed.infolist())
            sheets = sorted(n for n in packed.namelist() if re.fullmatch(r"xl/worksheets/sheet\d+\.xml", n))
            merged = re.findall(rb'<mergeCell ref="([A-Z0-9:]+)"', packed.read(sheets[0])) if sheets else []
    except (zipfile.BadZipFile, zlib.error, OSError, EOFError) as error:
        raise Fault("wrong_kind", f"{name} is damaged and can't be opened. Nothing was read.", field="file") from error
    if merged:
        told = ", ".join(m.decode() for m in merged[:5]) + (f" and {len(merged) - 5} more" if len(merged) > 5 else "")
        raise Fault(
            "merged_cells", f"{name} has merged cells ({told}): a row must stand for itself. Unmerge them and try again.", field="file"
        )


def _require_sane(name: str, parts: Sequence[zipfile.ZipInfo]) -> None:
    """Refuse by what the workbook's own list says, before anything is unpacked; a list that lies is found when a part is read."""
    unpacked = sum(i.file_size for i in parts)
    if unpacked > MAX_UNPACKED:
        raise too_large(name, unpacked, MAX_UNPACKED)
    blown = next((i for i in parts if i.file_size > SMALL_PART and i.file_size > MAX_RATIO * max(1, i.compress_size)), None)
    if blown is not None:
        told = (
            f"{name} holds a part that grows from {blown.compress_size / 1024:.0f} kB to {blown.file_size / 2**20:.0f} MB: no table of text does. "
            "Nothing was unpacked. Save it anew from the spreadsheet, or as CSV."
        )
        raise Fault("blown_up", told, field="file")


def _cell(cell: Any) -> str:
    value = cell.value
    if value is None:
        return ""
    if cell.data_type == "f":
        return FORMULA
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.12g}"
    if hasattr(value, "date") and hasattr(value, "isoformat"):
        return str(value.date().isoformat())
    return _clean(str(value))


def _clean(text: str) -> str:
    """A cell's text; the apostrophe that keeps a spreadsheet from running a cell is taken off again."""
    text = text.replace("\x00", "").replace(MARK, "").strip()
    return text[1:] if text[:1] == "'" and text[1:2] in RUNS_AS_FORMULA and text[1:2] else text


def _too_many(name: str) -> Fault:
    return Fault("too_many_rows", f"{name} has more than {MAX_ROWS} rows. Nothing was read. Split it by area.", field="file")


def column_letter(index: int) -> str:
    """The letter of a column, counted from 0."""
    return str(get_column_letter(index + 1))


def guarded(text: str) -> str:
    """A text that no spreadsheet runs: what looks like a formula and is no number gets an apostrophe before it."""
    if text[:1] not in RUNS_AS_FORMULA or not text:
        return text
    try:
        float(text)
    except ValueError:
        return f"'{text}"
    return text


def write_csv(header: Sequence[str], rows: Iterable[Sequence[str]]) -> Iterator[str]:
    """A CSV table in parts, with the mark that makes spreadsheets read it as UTF-8."""
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\r\n")
    buffer.write("\ufeff")
    writer.writerow([guarded(h) for h in header])
    for n, row in enumerate(rows):
        writer.writerow([guarded(c) for c in row])
        if n % 500 == 499:
            yield buffer.getvalue()
            buffer.seek(0)
            buffer.truncate()
    yield buffer.getvalue()


def write_xlsx(title: str, header: Sequence[str], rows: Iterable[Sequence[str]]) -> bytes:
    """An XLSX workbook of texts and numbers; nothing in it is a formula."""
    book = Workbook(write_only=True)
    sheet = book.create_sheet(title)
    sheet.append(list(header))
    for row in rows:
        sheet.append([_typed(c) for c in row])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _typed(text: str) -> str | float:
    try:
        value = float(text)
    except ValueError:
        return guarded(text)
    plain = f"{value:.12g}" == text  # a serial like 0012 stays a text
    return value if plain and abs(value) < 1e12 else text
