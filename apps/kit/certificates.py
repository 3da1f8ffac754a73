"""Certificates read as data: a CSV table of points, or a digital calibration certificate (DCC, XML).

Only what can be told for sure is taken: identity, dates, laboratory, and points with their uncertainty. A DCC is read by its element
names; its signature and schema are not checked here, since no registry package carries the public schema.
"""

from __future__ import annotations

import math
from dataclasses import asdict, dataclass, field
from datetime import date
from typing import Any

from lxml import etree

from apps.plant.sheets import Table, read_table
from metrology.faults import Fault
from metrology.quantities.typed import parse_typed
from metrology.quantities.units import convert, convert_width

DCC = "{https://ptb.de/dcc}"
SI = "{https://ptb.de/si}"
MAX_XML = 20 * 2**20
MAX_POINTS = 2_000
UNITS = {
    "\\pascal": "Pa", "\\kilo\\pascal": "kPa", "\\mega\\pascal": "MPa", "\\bar": "bar", "\\milli\\bar": "mbar", "\\degreecelsius": "°C", "\\kelvin": "K",
    "\\ampere": "A", "\\milli\\ampere": "mA", "\\volt": "V", "\\milli\\volt": "mV", "\\ohm": "ohm", "\\kilogram": "kg", "\\gram": "g",
}  # fmt: skip
COLUMNS = {
    "applied": ("applied", "reference", "true value", "nominal", "point"),
    "indicated": ("indicated", "reading", "measured", "measured value"),
    "u": ("u", "uncertainty", "expanded uncertainty", "u (k=2)"),
    "k": ("k", "coverage factor"),
}


@dataclass(frozen=True)
class Point:
    """One point of a certificate: what was really there, what the item showed, and its expanded uncertainty."""

    applied: float
    indicated: float
    u: float


@dataclass
class Certificate:
    """What a certificate says. Empty where it is silent."""

    number: str = ""
    laboratory: str = ""
    serial: str = ""
    calibrated_on: str = ""
    unit: str = ""
    k: float = 2.0
    points: list[Point] = field(default_factory=list)
    says: list[str] = field(default_factory=list)

    def as_dict(self) -> dict[str, Any]:
        """As plain data."""
        return asdict(self)


def read_certificate(name: str, data: bytes, *, unit: str) -> Certificate:
    """A certificate in a file, its points brought into `unit`; raises a Fault saying what can't be read."""
    start = data.lstrip(b"\xef\xbb\xbf \r\n\t")[:200]
    if start.startswith(b"<"):
        found = _read_dcc(name, data)
    elif start.startswith(b"%PDF"):
        raise Fault("not_data", f"{name} is a picture of a certificate, not data. Attach it, and type its points.", field="file")
    else:
        found = _read_points(read_table(name, data))
    if len(found.points) > MAX_POINTS:
        told = f"{name} holds {len(found.points)} points; a certificate has {MAX_POINTS} at most. Nothing was taken over."
        raise Fault("too_many_points", told, field="file")
    if any(not math.isfinite(v) for p in found.points for v in (p.applied, p.indicated, p.u)):
        raise Fault("bad_points", f"{name} holds a point that is no number, or an endless one. Nothing was taken over.", field="file")
    if not found.points:
        raise Fault("no_points", f"{name} holds no points with an uncertainty. Nothing was taken over.", field="file")
    return _in_unit(found, unit)


def _in_unit(found: Certificate, unit: str) -> Certificate:
    if not found.unit:
        found.unit = unit
        found.says.append(f"The file names no unit; {unit} is taken.")
    if found.unit != unit:
        own = found.unit
        found.points = [
            Point(
                convert(p.applied, own, to_unit=unit), convert(p.indicated, own, to_unit=unit), abs(convert_width(p.u, own, to_unit=unit))
            )
            for p in found.points
        ]
        found.says.append(f"The points were in {own} and are brought to {unit}.")
        found.unit = unit
    found.points.sort(key=lambda p: p.applied)
    if any(not 0 < p.u < math.inf for p in found.points):
        raise Fault("bad_points", "A point has no uncertainty above zero; it proves nothing.", field="file")
    return found


def _read_points(table: Table) -> Certificate:
    at: dict[str, int] = {}
    unit = ""
    for n, header in enumerate(table.header):
        plain, _, rest = header.partition("[")
        key = next((k for k, names in COLUMNS.items() if plain.strip().casefold() in names), "")
        if key:
            at[key] = n
            unit = unit or (rest.rstrip("] ").strip() if key in ("applied", "indicated") else "")
    missing = [k for k in ("applied", "u") if k not in at]
    if missing:
        raise Fault("no_columns", f"The table needs the columns Applied and U; {' and '.join(missing)} is not there.", field="file")
    made = Certificate(unit=unit)
    for number, cells in table.rows:

        def value(key: str, cells: list[str] = cells, number: int = number) -> float:
            text = cells[at[key]] if at[key] < len(cells) else ""
            return parse_typed(text, name=f"{key.capitalize()} in row {number}", unit=unit, field="file").value

        applied = value("applied")
        made.points.append(Point(applied, value("indicated") if "indicated" in at else applied, value("u")))
        if "k" in at:
            made.k = value("k")
    return made


def _read_dcc(name: str, data: bytes) -> Certificate:
    if len(data) > MAX_XML:
        raise Fault("too_large", f"{name} is too large for a certificate. Nothing was taken over.", field="file")
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False, remove_comments=True)
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError as error:
        raise Fault("bad_xml", f"{name} is damaged: {str(error)[:160]}. Nothing was taken over.", field="file") from error
    if root.tag != f"{DCC}digitalCalibrationCertificate":
        raise Fault("not_dcc", f"{name} is XML, but no digital calibration certificate. Nothing was taken over.", field="file")
    made = Certificate(
        number=_text(root, f".//{DCC}coreData/{DCC}uniqueIdentifier"),
        laboratory=_text(root, f".//{DCC}calibrationLaboratory//{DCC}name/{DCC}content"),
        calibrated_on=_day(_text(root, f".//{DCC}coreData/{DCC}endPerformanceDate")),
        serial=_serial(root),
    )
    lists = [_list(q) for q in root.iter(f"{DCC}quantity")]
    found = [one for one in lists if one]
    if found:
        _take(made, found)
    made.says.append("Its signature was not checked.")
    return made


def _text(root: Any, path: str) -> str:
    found = root.find(path)
    return " ".join((found.text or "").split())[:160] if found is not None else ""


def _day(text: str) -> str:
    try:
        return date.fromisoformat(text[:10]).isoformat()
    except ValueError:
        return ""


def _serial(root: Any) -> str:
    for ident in root.iterfind(f".//{DCC}item//{DCC}identification"):
        told = " ".join(t for t in ident.itertext()).casefold()
        if "serial" in told or ident.get("refType", "").endswith("serialNumber"):
            return _text(ident, f"{DCC}value")
    return _text(root, f".//{DCC}item//{DCC}identification/{DCC}value")


@dataclass
class _Values:
    kind: str
    unit: str
    values: list[float]
    us: list[float]
    k: float


def _list(quantity: Any) -> _Values | None:
    kind = f"{quantity.get('refType', '')} {_text(quantity, f'{DCC}name/{DCC}content')}".casefold()
    node = next((n for n in quantity if n.tag in (f"{SI}realListXMLList", f"{SI}real", f"{SI}hybrid")), None)
    if node is not None and node.tag == f"{SI}hybrid":
        node = next((n for n in node if n.tag in (f"{SI}realListXMLList", f"{SI}real")), None)
    if node is None:
        return None
    is_list = node.tag.endswith("List")
    values = _floats(node, "valueXMLList" if is_list else "value")
    unit = (_find(node, "unitXMLList" if is_list else "unit") or "").split(" ")[0].strip()
    us = (
        _floats(node, "uncertaintyXMLList")
        or _floats(node, "valueExpandedMUXMLList")
        or _floats(node, "uncertainty")
        or _floats(node, "valueExpandedMU")
    )
    k = _floats(node, "coverageFactorXMLList") or _floats(node, "coverageFactor") or [2.0]
    if len(us) == 1 and len(values) > 1:
        us = us * len(values)
    return _Values(kind, UNITS.get(unit, unit.replace("\\", "")), values, us, k[0]) if values else None


def _find(node: Any, name: str) -> str | None:
    found = node.find(f".//{SI}{name}")
    return found.text if found is not None else None


def _floats(node: Any, name: str) -> list[float]:
    text = _find(node, name)
    try:
        return [float(v) for v in (text or "").split()]
    except ValueError:
        raise Fault("bad_numbers", f"The certificate's numbers can't be read: '{(text or '')[:60]}'.", field="file") from None


def _take(made: Certificate, lists: list[_Values]) -> None:
    """The reference's list and the item's list of the same length are the points; the uncertainty stands at one of them."""
    reference = next((v for v in lists if "reference" in v.kind or "nominal" in v.kind or "applied" in v.kind), lists[0])
    same = [v for v in lists if v is not reference and len(v.values) == len(reference.values)]
    measured = next((v for v in same if "measured" in v.kind or "indicat" in v.kind or "reading" in v.kind), same[0] if same else reference)
    with_u = next((v for v in (measured, reference, *same) if len(v.us) == len(reference.values)), None)
    if with_u is None:
        return
    made.unit, made.k = reference.unit, with_u.k
    shown = (
        measured.values
        if measured.unit in (reference.unit, "")
        else [convert(v, measured.unit, to_unit=reference.unit) for v in measured.values]
    )
    us = (
        with_u.us
        if with_u.unit in (reference.unit, "")
        else [abs(convert_width(u, with_u.unit, to_unit=reference.unit)) for u in with_u.us]
    )
    made.points = [Point(a, i, u) for a, i, u in zip(reference.values, shown, us, strict=True)]
