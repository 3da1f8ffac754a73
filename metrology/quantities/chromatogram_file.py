"""A chromatogram as a file: two columns, time and signal, parted by comma, semicolon, tab or blanks; a heading is passed over."""

from __future__ import annotations

from metrology.faults import Fault

MOST_ROWS = 1_200_000
MOST_CHARACTERS = 60_000_000
HEAD = 200  # rows in which the first pair of numbers is looked for


def read_chromatogram(text: str) -> tuple[list[float], list[float]]:
    """Times and signal of a file's text, as they stand; whether they make a chromatogram is looked at when its peaks are found.

    Raises a Fault for what is not two columns of numbers, naming the row, and for more than 1,200,000 rows.
    """
    if len(text) > MOST_CHARACTERS:
        raise Fault("too_long", f"The file is too long; up to {MOST_ROWS:,} rows are read.", field="file")
    rows = text.lstrip("\ufeff").splitlines()
    separator = _separator(rows)
    times: list[float] = []
    signal: list[float] = []
    for n, row in enumerate(rows, 1):
        parts = row.split(separator)
        if len(parts) >= 2:
            try:
                t, v = float(_point(parts[0], separator)), float(_point(parts[1], separator))
            except ValueError:
                if not times:
                    continue  # headings
                raise Fault("bad_row", f"Row {n} is '{row[:40]}'; two numbers are needed, time and signal.", field="file") from None
            times.append(t)
            signal.append(v)
        elif row.strip() and times:
            raise Fault("bad_row", f"Row {n} is '{row[:40]}'; two numbers are needed, time and signal.", field="file")
        if len(times) > MOST_ROWS:
            raise Fault("too_long", f"The file has more than {MOST_ROWS:,} rows; export it with fewer points a second.", field="file")
    if not times:
        raise Fault("empty", "The file holds no two columns of numbers; time and signal are needed.", field="file")
    return times, signal


def _separator(rows: list[str]) -> str | None:
    """What parts the columns: of the first row that it parts into two numbers; None for blanks."""
    for row in [r for r in rows[:HEAD] if r.strip()]:
        for separator in ("\t", ";", ",", None):
            parts = row.split(separator)
            if len(parts) == 2 and all(_is_number(_point(p, separator)) for p in parts):
                return separator
    return ","


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def _point(text: str, separator: str | None) -> str:
    return text.strip() if separator == "," else text.strip().replace(",", ".")
