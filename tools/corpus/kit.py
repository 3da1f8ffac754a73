"""References, bottles and fittings of the corpus, as the server freezes them in a run."""

from __future__ import annotations

from typing import Any


def reference(code: str, unit: str = "kPa", low: float = 0.0, high: float = 1000.0, u: float = 0.05, **changes: Any) -> dict[str, Any]:
    """A reference in date."""
    return {
        "code": code, "name": f"Reference {code}", "serial": f"S-{code}", "unit": unit, "low": low, "high": high, "u_absolute": u,
        "u_percent_reading": 0.0, "u_percent_span": 0.0, "k": 2.0, "resolution": 0.001, "certificate": f"C-{code}",
        "laboratory": "Tern Point", "traceability": "SI through a national institute", "calibrated_on": "2026-01-10",
        "due_on": "2027-01-10", "state": "in service", **changes,
    }  # fmt: skip


PRESSURE = {"applied": (reference("REF-P1"), ""), "indicated": (reference("REF-I1", "mA", 0, 24, 0.002), "")}
METER = {"indicated": PRESSURE["indicated"]}
SOURCE = {"applied": (reference("REF-I1", "mA", 0, 24, 0.002), "")}
WEIGHTS = {"applied": (reference("REF-W", "kg", 0, 10, 0.0001, resolution=0), ""), **METER}
PROBE = (reference("REF-T", "C", -50, 700, 0.02, drift_per_year=0.01), "")
BLOCK = (reference("REF-B", "C", -50, 700, 0.5, resolution=0.01, gradient=0.02), "")
OHM = {"applied": PROBE, "block": BLOCK, "indicated": (reference("REF-O", "ohm", 0, 400, 0.003), "")}
MILLIVOLT = {"applied": PROBE, "block": BLOCK, "indicated": (reference("REF-V", "mV", -10, 80, 0.002), "")}
SIGNAL = {"applied": (reference("REF-V", "mV", -10, 80, 0.002), ""), **METER}

REGULATOR = {"code": "R-1", "kind": "regulator", "material": "stainless steel", "flow_l_min": 0.5}
LINE = {"code": "L-1", "kind": "line", "material": "PTFE-lined", "length_m": 1.0, "is_conditioned": True}


def gas(code: str, component: str = "", value: float = 0.0, unit: str = "%LEL", **changes: Any) -> dict[str, Any]:
    """A bottle with its regulator and line."""
    gases = [{"gas": component, "value": value, "unit": unit, "u_percent": 2.0, "basis": "iec" if unit == "%LEL" else ""}]
    bottle = {
        "code": code, "name": f"Gas {code}", "gases": gases if component else [], "balance": "air", "oxygen": 20.9, "litres_left": 90.0,
        "expires_on": "2027-06-30", "certificate": f"C-{code}", **changes,
    }  # fmt: skip
    return {"bottle": bottle, "regulator": dict(REGULATOR), "line": dict(LINE)}


def mixture(code: str, parts: dict[str, tuple[float, str]], **changes: Any) -> dict[str, Any]:
    """A bottle of several components in nitrogen, with its regulator and line."""
    made = gas(code, **{"balance": "nitrogen", "oxygen": 0.0, **changes})
    made["bottle"]["gases"] = [{"gas": g, "value": v, "unit": unit, "u_percent": 1.0, "basis": ""} for g, (v, unit) in parts.items()]
    return made


def buffer(code: str, ph: float, table: str = "nist", **changes: Any) -> dict[str, Any]:
    """A buffer with portions enough."""
    return {
        "code": code, "name": f"Buffer pH {ph:g}", "ph": ph, "table": table, "points": [], "lot": f"L-{code}", "expires_on": "2027-06-30",
        "opened_on": "2026-10-20", "open_days": 90, "portions_left": 8, "portion_ml": 100.0, "u_ph": 0.01, "certificate": f"C-{code}",
        "state": "in service", "good_until": "2027-01-18", **changes,
    }  # fmt: skip


def solution(code: str, us_cm: float, table: str = "kcl-0.01", **changes: Any) -> dict[str, Any]:
    """A conductivity standard with portions enough."""
    more = {"name": f"Conductivity {us_cm:g} uS/cm", "us_cm": us_cm, "u_percent": 0.5}
    return {**{k: v for k, v in buffer(code, 7.0, table).items() if k not in ("ph", "u_ph")}, **more, **changes}


def worn(code: str, name: str, **changes: Any) -> dict[str, Any]:
    """A syringe or a trap within its life."""
    dates = {"expires_on": "2027-06-30", "opened_on": "2026-10-20", "good_until": "2027-04-18"}
    return {"code": code, "name": name, "serial": f"S-{code}", **dates, "state": "in service", **changes}


BUFFERS = {"first": buffer("BUF-7", 6.865), "second": buffer("BUF-4", 4.005)}
HYDROGEN = {"zero": gas("B-AIR"), "span": gas("B-H2", "hydrogen", 50.0)}
