"""What a bottle is said to hold: whether it adds up, and whether it could explode (lower limits of ISO/IEC 80079-20-1:2017)."""

from __future__ import annotations

from collections.abc import Sequence

from metrology.faults import Fault
from metrology.judgement.gas_kit import BottleGas, in_unit
from metrology.quantities.gas import find_gas, lel_percent_vol

OXYGEN_LEAST = 5.0  # % vol: with less no common gas burns
ROOM = 0.1  # % vol: certificates are rounded


def composition_faults(gases: Sequence[BottleGas], *, balance: str, oxygen: float, is_declared: bool) -> list[Fault]:
    """What is wrong with a composition; empty when it can be so. oxygen: % vol in the balance; is_declared: said to be explosive on purpose."""
    shares: dict[str, float] = {}
    out: list[Fault] = []
    for g in gases:
        try:
            shares[g.gas] = shares.get(g.gas, 0.0) + in_unit(g, "% vol", "iec")
        except Fault as fault:
            out.append(Fault(fault.code, f"{g.gas}: {fault.message}", field="gases"))
    if out:
        return out
    held = shares.get("oxygen", oxygen)
    if "oxygen" in shares and oxygen and abs(shares["oxygen"] - oxygen) > max(ROOM, 0.02 * oxygen):
        told = f"It holds {shares['oxygen']:g} % vol oxygen by its gases and {oxygen:g} % vol by its balance: one of them is wrong."
        out.append(Fault("two_oxygens", told, field="oxygen"))
    total = sum(v for name, v in shares.items() if name != "oxygen") + held
    if total > 100 + ROOM:
        out.append(Fault("too_much", f"Its gases and its oxygen add up to {total:g} % vol: more than there can be.", field="gases"))
    if balance.lower() == "air" and not 15.0 <= held <= 23.5:
        told = f"Balanced with air it can't hold {held:g} % vol oxygen: write the oxygen it has, or another balance."
        out.append(Fault("not_air", told, field="oxygen"))
    burning = [
        f"{v:g} % vol {name} (limit {limit:g})"
        for name, v in shares.items()
        if (limit := lel_percent_vol(find_gas(name), "iec")) is not None and v >= limit
    ]
    if burning and held >= OXYGEN_LEAST and not is_declared:
        told = f"{', '.join(burning)} with {held:g} % vol oxygen can explode. Correct it, or declare that the bottle is meant to be so."
        out.append(Fault("explosive", told, field="gases"))
    return out
