"""Kit: bottles, fittings and zero gas for a need, compositions, peers on a bottle, and items that come in."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from metrology.judgement import gas_kit, incoming, policy, suspicion
from metrology.judgement.composition import composition_faults
from metrology.tests.as_judged.asked import Asked, Judged, each, turned
from metrology.tests.as_judged.signatures import PEERS
from metrology.tests.gases import LINE, REGULATOR, bottle, zero_air

TODAY = date(2026, 6, 1)


def _needs() -> Asked:
    need = gas_kit.GasNeed("span", "Span gas", "span", "hydrogen", 100.0, "%LEL", "iec", "catalytic", 0.5, 4, 10.0, alarm=40.0)
    zero = gas_kit.GasNeed("zero", "Zero gas", "zero", "air", 100.0, "%LEL", "iec", "catalytic", 0.5, 4, 10.0)
    trace = gas_kit.GasNeed(
        "span", "Span gas", "span", "oxygen", 10.0, "ppm", "", "zirconia", 0.5, 2, 5.0, is_trace_oxygen=True, wanted_percent=80.0
    )
    air = gas_kit.GasNeed(
        "air",
        "Air",
        "air",
        "oxygen",
        25.0,
        "% vol",
        "",
        "electrochemical",
        0.5,
        2,
        5.0,
        keeps_off=(("low", 19.5), ("high", 23.5)),
        room=0.5,
    )
    both = replace(
        need,
        component="H2",
        beside=(replace(zero, component="CO", gas="carbon monoxide", unit="ppm", top=100.0),),
        also=(replace(trace, component="O2"),),
    )
    toxic = gas_kit.GasNeed(
        "span", "Span gas", "span", "hydrogen sulfide", 50.0, "ppm", "", "electrochemical", 0.5, 4, 10.0, alarm=10.0, needs_humid=True
    )
    kinds = [policy.Policy(zero_gas=k) for k in ("bottled", "scrubbed")]
    more = {"today": TODAY, "regulator": REGULATOR, "line": LINE, "policy": policy.Policy()}
    peers = {"peers": PEERS}
    return turned(
        [
            {"need": need, "bottle": bottle(), **more, **peers},
            {"need": zero, "bottle": zero_air(), **more},
            {"need": trace, "bottle": bottle("B-O2", "oxygen", 8.0, "ppm", balance="nitrogen", oxygen=0.0), **more},
            *({"need": air, "bottle": bottle("B-A", "oxygen", v, "% vol"), **more} for v in (20.9, 19.8)),
            {"need": air, "bottle": bottle("B-A", "oxygen", 20.9, "% vol", balance="argon"), **more},
            {"need": both, "bottle": bottle(gases=(*bottle().gases, gas_kit.BottleGas("carbon monoxide", 150.0, "ppm", 3.0))), **more},
            *(
                {"need": replace(zero, watches=w), "bottle": bottle(gas_kit.AMBIENT, gas=""), **more, "policy": p}
                for w in ("methane", "oxygen")
                for p in kinds
            ),
            {"need": toxic, "bottle": bottle("B-S", "hydrogen sulfide", 25.0, "ppm"), **more},
        ]
    )


def _fittings() -> Asked:
    """One need with all that may be wrong of bottle, regulator and line."""
    need = gas_kit.GasNeed("span", "Span gas", "span", "hydrogen", 100.0, "%LEL", "iec", "catalytic", 0.5, 4, 10.0, alarm=40.0)
    stood = replace(
        need, gas="chlorine", unit="ppm", basis="", technology="electrochemical", surrogate_for="bromine", relative_response=0.7
    )
    zero, reactive = replace(need, kind="zero", gas="nitrogen"), replace(need, gas="chlorine", unit="ppm", basis="")
    trace = replace(need, gas="oxygen", unit="ppm", basis="", is_trace_oxygen=True, technology="zirconia", alarm=0.0, top=10.0)
    fit = gas_kit.Fitting
    regulators = (
        None,
        REGULATOR,
        replace(REGULATOR, stays_on="B-H2", purged_on="2026-05-20"),
        fit("R-2", "regulator", "brass", flow_l_min=1.0),
        fit("R-3", "regulator", "stainless steel", flow_l_min=0.5, state="quarantined"),
    )
    lines = (
        None,
        LINE,
        fit("L-2", "line", "PVC", length_m=12.0),
        fit("L-3", "line", "PTFE", length_m=2.0),
        replace(LINE, is_conditioned=False),
    )
    chlorine = bottle("B-CL", "chlorine", 5.0, "ppm")
    bottles = (
        bottle(),
        bottle(litres_left=10.0),
        bottle(litres_left=40.0, expires_on="2026-05-31"),
        bottle(balance="nitrogen", oxygen=0.0),
        bottle(state="quarantined"),
        zero_air(balance="nitrogen", oxygen=0.0),
        bottle("B-D", "methane", 3.0, "%LEL"),
        chlorine,
        bottle("B-O", "oxygen", 8.0, "ppm", balance="nitrogen", oxygen=0.0),
    )
    rest = {"today": TODAY, "policy": policy.Policy()}
    needs = (need, stood, zero, reactive, trace)
    kits = [{"need": n, "bottle": b, "regulator": REGULATOR, "line": LINE, **rest} for n in needs for b in bottles]
    kits += [
        {"need": n, "bottle": bottles[at], "regulator": r, "line": line, **rest}
        for n, at in ((need, 0), (reactive, 7), (trace, 8))
        for r in regulators
        for line in lines
    ]
    return each(kits)


def _compositions() -> Asked:
    gas = gas_kit.BottleGas
    mixes = (
        (gas("methane", 2.5, "% vol", 2.0), gas("oxygen", 15.0, "% vol", 2.0)),
        (gas("hydrogen", 50.0, "%LEL", 2.0, "iec"),),
        (gas("carbon dioxide", 80.0, "% vol", 2.0),),
        (gas("methane", 8.0, "% vol", 2.0), gas("carbon monoxide", 100.0, "ppm", 2.0)),
    )
    stood = (("air", 20.9), ("nitrogen", 0.0), ("nitrogen", 12.0))
    return turned([{"gases": m, "balance": b, "oxygen": o, "is_declared": d} for m in mixes for b, o in stood for d in (False, True)])


def _peers() -> Asked:
    return each({"text": t} for t in ("", "AE-1=0.8", "AE-1=0.8:0.04:1 AE-2=1.0:0.02:0", "A=B=0.5:0.1:2", "AE-3=-1:0:1 AE-4=2"))


def _incoming() -> Asked:
    good = {c.name: "10" if c.number else "yes" for c in incoming.CHECKS} | {"samples": "600", "interval_s": "60"}
    bad = [{**good, name: value} for name in good for value in ("no", "does not apply", "", "61", "1e9", "x")]
    return ((str(n), {"values": v, "alarm_within_s": 10.0, "least_hours": 8.0}) for n, v in enumerate((good, *bad)))


JUDGED: Judged = {
    "composition": (composition_faults, _compositions),
    "fittings": (gas_kit.judge_kit, _fittings),
    "gas-kit": (gas_kit.judge_kit, _needs),
    "incoming": (incoming.judge_incoming, _incoming),
    "incoming-limits": (
        incoming.limit_words,
        lambda: each({"limits": {"alarm_within_s": s, "least_hours": h}} for s, h in ((10.0, 8.0), (2.5, 0.5), (0.0, 24.0))),
    ),
    "peers": (suspicion.peers_from, _peers),
}
