"""Is this bottle, with this regulator and line, fit for this detector? Every rule answers with a sentence.

Sources of the rules: IEC 60079-29-2:2015 clause 11 (calibration gas, flow, lines), EN IEC 62990-2:2021 clause 8 (toxic gases),
ISO 6141:2015 (certificates of gas mixtures).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from metrology.faults import Fault
from metrology.judgement.policy import Policy
from metrology.judgement.suspicion import Peer, judge_bottle
from metrology.quantities.gas import find_gas, gas_convert
from metrology.quantities.permeation import permeation_ppm
from metrology.quantities.words import day_words, plain

GOOD, WARN, REFUSE = "good", "warn", "refuse"
REACTIVE = ("chlorine", "ammonia", "hydrogen sulphide", "hydrogen chloride", "sulphur dioxide", "chlorine dioxide")
LONGEST_REACTIVE_LINE_M = 2.0
NEAR_PERCENT = 15.0
AMBIENT = "AMBIENT"
OTHERS = "other detectors"  # the rule that speaks of a bottle by what others read of it
AIR_GASES = ("oxygen", "nitrogen", "argon")
AIR_BALANCES = ("air", "synthetic air", "zero air", "nitrogen")
# Activated carbon holds what condenses readily; these light gases go through it.
SCRUBBER_PASSES = ("hydrogen", "methane", "carbon monoxide", "carbon dioxide", "ethane", "ethylene")
_LETTERS = {"ppm": "ppm", "% vol": "vol", "%LEL": "lel"}


@dataclass(frozen=True)
class BottleGas:
    """One certified component: value in unit (ppm, % vol, %LEL with its basis), expanded uncertainty in % of it (k = 2)."""

    gas: str
    value: float
    unit: str
    u_percent: float
    basis: str = ""


@dataclass(frozen=True)
class Bottle:
    """A gas bottle. oxygen: % vol in the balance; litres_left at atmospheric pressure; expires_on an ISO date."""

    code: str
    name: str
    gases: tuple[BottleGas, ...]
    balance: str
    oxygen: float
    litres_left: float
    expires_on: str
    certificate: str = ""
    laboratory: str = ""
    state: str = "in service"
    is_humid: bool = False

    def component(self, gas: str) -> BottleGas | None:
        """The certified component of that gas; oxygen of plain air counts."""
        found = next((g for g in self.gases if g.gas == gas), None)
        if found is None and gas == "oxygen" and self.oxygen > 0:
            return BottleGas("oxygen", self.oxygen, "% vol", 0.5)
        return found


@dataclass(frozen=True)
class Fitting:
    """A regulator or a line. flow_l_min of a fixed-flow regulator, length_m of a line."""

    code: str
    kind: str
    material: str
    flow_l_min: float = 0.0
    length_m: float = 0.0
    is_conditioned: bool = False
    state: str = "in service"
    stays_on: str = ""  # the bottle a regulator was left on, purged and shut
    purged_on: str = ""  # since when, ISO date


@dataclass(frozen=True)
class GasNeed:
    """What one role of a run needs of its gas.

    kind: span, zero or air (oxygen detectors). gas: what is wanted in the bottle. top, unit, basis: the range.
    alarm: highest rising set point to be proved, 0 when none is. litres: for all exposures and the purge.
    """

    role: str
    label: str
    kind: str
    gas: str
    top: float
    unit: str
    basis: str
    technology: str
    flow_l_min: float
    exposures: int
    litres: float
    alarm: float = 0.0
    needs_humid: bool = False
    relative_response: float = 1.0
    surrogate_for: str = ""
    is_trace_oxygen: bool = False
    keeps_off: tuple[tuple[str, float], ...] = ()  # alarms that what is set to must not come near: name, set point
    room: float = 0.0  # how near is too near, in the need's unit
    wanted_percent: float = 0.0  # of range, where the span gas should be near; 0 where anywhere inside the window will do
    litres_if_set: float = 0.0  # what a function check needs when it becomes a calibration
    watches: str = ""  # the gas that the sensor watches for, whatever this role brings
    component: str = ""  # of an analyzer of several: which of them this is
    also: tuple[GasNeed, ...] = ()  # components that must be in the same bottle
    beside: tuple[GasNeed, ...] = ()  # components that may be in it: each reads what the bottle holds of it, or nothing


@dataclass(frozen=True)
class Remark:
    """What one rule says of the kit."""

    rule: str
    standing: str
    says: str


@dataclass(frozen=True)
class KitVerdict:
    """All remarks on one bottle with its fittings; applied is what the detector should read of it, in the need's unit.

    parts: of an analyzer of several components, what each should read of it, as (component, value in its unit, U in %).
    """

    remarks: tuple[Remark, ...]
    applied: float
    u_percent: float
    parts: tuple[tuple[str, float, float], ...] = ()

    @property
    def standing(self) -> str:
        """The worst of the remarks."""
        all_of = {r.standing for r in self.remarks}
        return REFUSE if REFUSE in all_of else WARN if WARN in all_of else GOOD

    @property
    def reasons(self) -> tuple[str, ...]:
        """Why it can't be used or what to mind."""
        return tuple(r.says for r in self.remarks if r.standing == self.standing)


class Told:
    """Collects remarks as the rules make them."""

    def __init__(self) -> None:
        self.remarks: list[Remark] = []

    def __call__(self, rule: str, standing: str, says: str) -> None:
        """One more remark."""
        self.remarks.append(Remark(rule, standing, says))


def in_unit(part: BottleGas, unit: str, basis: str) -> float:
    """A component's concentration in another unit; %LEL of the bottle by its own basis, of the range by the range's."""
    gas = find_gas(part.gas)
    vol = gas_convert(part.value, gas, from_unit=_letters(part.unit), to_unit="vol", basis=part.basis or basis or "iec")
    return gas_convert(vol, gas, from_unit="vol", to_unit=_letters(unit), basis=basis or "iec")


def _letters(unit: str) -> str:
    if unit not in _LETTERS:
        raise Fault("unknown_unit", f"'{unit}' is not a unit of gas here; accepted are {', '.join(_LETTERS)}.", field="unit")
    return _LETTERS[unit]


def judge_kit(
    need: GasNeed,
    bottle: Bottle,
    *,
    regulator: Fitting | None,
    line: Fitting | None,
    today: date,
    policy: Policy,
    peers: Sequence[Peer] = (),
) -> KitVerdict:
    """Every gas rule on one bottle. peers: other detectors on the same bottle lately."""
    tell = Told()
    applied, u = _component(need, bottle, policy, tell)
    parts = _parts(need, bottle, (applied, u), policy, tell) if need.component else ()
    _balance(need, bottle, policy, tell)
    if bottle.code == AMBIENT and policy.zero_gas == "bottled":
        tell("zero gas", WARN, "Bottled gas is the rule here; ambient air takes a reason, and a clean place.")
    if bottle.code == AMBIENT and policy.zero_gas == "scrubbed":
        _scrubbed(need, tell)
    if need.needs_humid and not bottle.is_humid and need.kind == "span" and need.gas in REACTIVE:
        tell("humidity", WARN, f"This sensor likes humid gas, but water takes {need.gas} up: no humidifier; wait longer until it stands.")
    elif need.needs_humid and not bottle.is_humid:
        tell("humidity", WARN, "This sensor needs humid gas and the bottle is dry: put the humidifier into the line.")
    _materials(need, regulator, line, tell)
    _stays(need, bottle, regulator, tell)
    _flow(need, regulator, tell)
    _dates(bottle, today, tell)
    _litres(need, bottle, policy, tell)
    suspicion = judge_bottle(peers, u_bottle=u / 100)
    if suspicion:
        tell(OTHERS, WARN, f"{suspicion} Change the bottle or its regulator before touching a gain.")
    return KitVerdict(tuple(tell.remarks), applied, u, parts)


def _parts(need: GasNeed, bottle: Bottle, first: tuple[float, float], policy: Policy, tell: Told) -> tuple[tuple[str, float, float], ...]:
    """What each component should read of the bottle: those that must be in it by the rules of a span gas, the others as it holds them."""
    out = [(need.component, *first), *((n.component, *_component(n, bottle, policy, tell)) for n in need.also)]
    for other in need.beside:
        part = bottle.component(other.gas)
        value = in_unit(part, other.unit, other.basis) if part else 0.0
        out.append((other.component, value, part.u_percent if part else 0.0))
        if value > other.top:
            says = f"{bottle.code} gives {plain(value)} {other.unit} {other.gas}, above the range of {other.component}: it is not read on this gas."
            tell("component", GOOD, says)
    return tuple(out)


def _scrubbed(need: GasNeed, tell: Told) -> None:
    """Ambient air through a charcoal scrubber: what charcoal lets through would be zeroed away."""
    if need.watches in SCRUBBER_PASSES:
        tell("zero gas", REFUSE, f"A scrubber does not hold {need.watches} back; zero this detector with bottled gas.")
    else:
        tell("zero gas", WARN, "Draw ambient air through the scrubber; write which one it is and until when it is good.")


def _component(need: GasNeed, bottle: Bottle, policy: Policy, tell: Told) -> tuple[float, float]:
    if need.kind == "zero":
        return _zero_gas(need, bottle, tell)
    part = bottle.component(need.gas)
    if part is None:
        held = ", ".join(g.gas for g in bottle.gases) or bottle.balance
        tell("component", REFUSE, f"{bottle.code} holds {held}; {need.gas} is needed.")
        return 0.0, 0.0
    if part.unit == "%LEL" and not part.basis:
        tell("unit", REFUSE, f"{bottle.code} is certified in %LEL without its basis; ask the supplier for % vol.")
        return 0.0, 0.0
    try:
        own = in_unit(part, need.unit, need.basis)
    except Fault as fault:
        tell("unit", REFUSE, f"{bottle.code} is certified in {part.unit}, the range is in {need.unit}: {fault.message}")
        return 0.0, 0.0
    tell("component", GOOD, f"{bottle.code} holds {part.value:g} {part.unit} {part.gas}, U {part.u_percent:g} % of it (k = 2).")
    if part.unit != need.unit or (part.basis and part.basis != need.basis):
        other = f" ({part.basis})" if part.basis else ""
        mine = f" ({need.basis})" if need.unit == "%LEL" else ""
        tell("unit", GOOD, f"{part.value:g} {part.unit}{other} are {plain(own)} {need.unit}{mine}.")
    applied = own * need.relative_response
    if need.surrogate_for:
        says = f"{part.gas} stands for {need.surrogate_for}: x {need.relative_response:g}, so {plain(applied)} {need.unit} is applied."
        tell("surrogate", GOOD, says)
    if part.u_percent <= 0:
        tell("certificate", REFUSE, f"The certificate of {bottle.code} gives no uncertainty; it proves nothing.")
    if need.kind == "air":
        _clean_air(need, bottle, applied, tell)
    if need.kind == "span":
        _window(need, bottle, applied, policy, tell)
    elif abs(applied - policy.air_percent) > 0.5:
        says = f"{bottle.code} holds {applied:g} % vol oxygen; air of {policy.air_percent:g} % vol is needed."
        tell("concentration", REFUSE, says)
    return applied, part.u_percent


def _zero_gas(need: GasNeed, bottle: Bottle, tell: Told) -> tuple[float, float]:
    wanted = "nitrogen without oxygen" if need.gas == "nitrogen" else "clean air" if need.gas == "air" else "dry, clean zero gas"
    harmless = ("nitrogen",) if need.gas == "nitrogen" else ("nitrogen", "oxygen")
    dirty = [g.gas for g in bottle.gases if g.gas not in harmless and g.value > 0]
    if dirty:
        tell("component", REFUSE, f"{bottle.code} holds {', '.join(dirty)}; zero needs {wanted}.")
    elif need.gas == "nitrogen" and bottle.oxygen > 0.01:
        tell("component", REFUSE, f"{bottle.code} holds {bottle.oxygen:g} % vol oxygen; zero needs {wanted}.")
    elif need.technology == "optical" and (bottle.code == AMBIENT or bottle.is_humid):
        tell("component", REFUSE, "An optical path is zeroed with bottled gas free of hydrocarbons and moisture, not with this.")
    elif need.gas == "air" and bottle.oxygen < 19 and need.technology in ("electrochemical", "semiconductor"):
        tell("balance", REFUSE, f"{bottle.code} has {bottle.oxygen:g} % vol oxygen; this sensor needs air to work, at zero too.")
    else:
        tell("component", GOOD, f"{bottle.code} is {bottle.name.lower()}: {wanted}.")
    return 0.0, 0.0


def _clean_air(need: GasNeed, bottle: Bottle, applied: float, tell: Told) -> None:
    """Clean air only: with anything else in it, or another gas in the place of its nitrogen, it sets the cell to something nobody breathes."""
    other = [g.gas for g in bottle.gases if g.gas not in AIR_GASES and g.value > 0]
    if other:
        tell("component", REFUSE, f"{bottle.code} holds {', '.join(other)}; oxygen is set in clean air and in nothing else.")
    if bottle.balance.lower() not in AIR_BALANCES:
        tell("balance", REFUSE, f"{bottle.code} is balanced with {bottle.balance}; oxygen is set in clean air and in nothing else.")
    for name, set_point in need.keeps_off:
        if abs(applied - set_point) <= need.room:
            says = f"{bottle.code} gives {plain(applied)} {need.unit}, too near to the alarm '{name}' at {set_point:g} {need.unit} to set it on."
            tell("alarms", REFUSE, says)


def _window(need: GasNeed, bottle: Bottle, applied: float, policy: Policy, tell: Told) -> None:
    low, high = policy.span_low_percent / 100 * need.top, policy.span_high_percent / 100 * need.top
    at = f"{plain(applied)} {need.unit}"
    if applied > need.top:
        tell("concentration", REFUSE, f"{bottle.code} gives {at}, above the range of {need.top:g} {need.unit}.")
    elif not low <= applied <= high:
        says = f"{bottle.code} gives {at}; a span gas lies between {plain(low)} and {plain(high)} {need.unit}."
        tell("concentration", REFUSE, says)
    else:
        percent = 100 * applied / need.top
        is_away = need.wanted_percent > 0 and abs(percent - need.wanted_percent) > NEAR_PERCENT
        wanted = f"; near {need.wanted_percent:g} % is wanted." if is_away else "."
        tell("concentration", WARN if is_away else GOOD, f"{at} is {percent:.0f} % of range{wanted}")
    if need.alarm and applied <= need.alarm:
        says = f"{at} is not above the alarm at {need.alarm:g} {need.unit}: that alarm can't be proved with this bottle."
        tell("alarms", REFUSE, says)
    elif need.alarm:
        tell("alarms", GOOD, f"{at} is above the highest alarm, {need.alarm:g} {need.unit}.")


def _balance(need: GasNeed, bottle: Bottle, policy: Policy, tell: Told) -> None:
    if need.kind == "air":
        return
    if need.is_trace_oxygen and bottle.balance.lower() != "nitrogen":
        tell("balance", REFUSE, f"{bottle.code} is balanced with {bottle.balance}; trace oxygen is set in nitrogen.")
        return
    if need.technology in ("catalytic", "semiconductor") and bottle.oxygen < policy.balance_oxygen:
        says = (
            f"{bottle.code} has {bottle.oxygen:g} % vol oxygen in its balance ({bottle.balance}); a {need.technology} sensor needs "
            f"{policy.balance_oxygen:g} % vol or more, or it reads low."
        )
        tell("balance", REFUSE, says)
    elif need.technology == "electrochemical" and need.kind == "span" and bottle.oxygen < policy.balance_oxygen:
        tell("balance", WARN, f"{bottle.code} is balanced with {bottle.balance}; toxic gas cells mostly need air. See the sensor's sheet.")
    else:
        tell("balance", GOOD, f"Balance {bottle.balance}, {bottle.oxygen:g} % vol oxygen, suits {need.technology}.")


def _materials(need: GasNeed, regulator: Fitting | None, line: Fitting | None, tell: Told) -> None:
    reactive = need.kind == "span" and need.gas in REACTIVE
    for part in (regulator, line):
        if part and part.state != "in service":
            tell("fittings", REFUSE, f"{part.code} is {part.state}.")
    if reactive or need.is_trace_oxygen:
        what = "trace oxygen" if need.is_trace_oxygen else need.gas
        if regulator and "stainless" not in regulator.material:
            tell("materials", REFUSE, f"{what.capitalize()} needs a stainless regulator; {regulator.code} is {regulator.material}.")
        allowed = ("stainless",) if need.is_trace_oxygen else ("PTFE", "stainless")
        if line and not any(m in line.material for m in allowed):
            says = (
                f"{what.capitalize()} needs a line of {' or '.join(allowed)}; {line.code} is {line.material}, which {_lets_in(need, line)}."
            )
            tell("materials", REFUSE, says)
        if line and line.length_m > LONGEST_REACTIVE_LINE_M and not need.is_trace_oxygen:
            says = f"{line.code} is {line.length_m:g} m long; {what} wants at most {LONGEST_REACTIVE_LINE_M:g} m."
            tell("materials", WARN, says)
        if line and reactive and not line.is_conditioned:
            tell("materials", WARN, f"{line.code} is not conditioned: flow the gas through it until the reading stands before it counts.")
    elif regulator or line:
        tell("materials", GOOD, "No special material is needed.")


def _stays(need: GasNeed, bottle: Bottle, regulator: Fitting | None, tell: Told) -> None:
    """A regulator that was left on a bottle, purged, keeps its purge as long as it stays there."""
    if regulator is None or not regulator.stays_on:
        return
    if regulator.stays_on != bottle.code:
        tell("purge", WARN, f"{regulator.code} stays on {regulator.stays_on}, purged: taken off, it has to be purged again.")
    elif need.is_trace_oxygen:
        tell(
            "purge", GOOD, f"{regulator.code} has stayed on {bottle.code} since {day_words(regulator.purged_on)}, purged: nothing to purge."
        )


def _lets_in(need: GasNeed, line: Fitting) -> str:
    """What a line does to the gas; of trace oxygen how much air comes through its wall."""
    if not need.is_trace_oxygen:
        return "eats gas or lets air in"
    ppm = permeation_ppm(line.material, line.length_m or 1.0, flow_l_min=need.flow_l_min)
    return (
        f"lets air in: about {ppm:.2g} ppm oxygen at {need.flow_l_min:g} l/min through {line.length_m or 1.0:g} m of wall (estimate from the "
        "permeability of its plastic, Polymer Handbook, for a bore of 4 mm and 1 mm of wall)"
    )


def _flow(need: GasNeed, regulator: Fitting | None, tell: Told) -> None:
    if regulator is None or not regulator.flow_l_min:
        return
    if abs(regulator.flow_l_min - need.flow_l_min) > 0.1 * need.flow_l_min:
        says = f"{regulator.code} gives {regulator.flow_l_min:g} l/min; this detector is calibrated at {need.flow_l_min:g} l/min."
        tell("flow", REFUSE, says)
    else:
        tell("flow", GOOD, f"{regulator.code} gives {regulator.flow_l_min:g} l/min, as needed.")


def _dates(bottle: Bottle, today: date, tell: Told) -> None:
    if bottle.state != "in service":
        tell("state", REFUSE, f"{bottle.code} is {bottle.state}.")
    if not bottle.expires_on:
        return
    left = (date.fromisoformat(bottle.expires_on) - today).days
    if left < 0:
        tell("expiry", REFUSE, f"{bottle.code} expired on {day_words(bottle.expires_on)}; its gas may have decayed.")
    elif left <= 30:
        tell("expiry", WARN, f"{bottle.code} expires in {left} days, on {day_words(bottle.expires_on)}.")
    else:
        tell("expiry", GOOD, f"In date until {day_words(bottle.expires_on)}.")


def _litres(need: GasNeed, bottle: Bottle, policy: Policy, tell: Told) -> None:
    if bottle.code == AMBIENT:
        return
    left, wanted = bottle.litres_left, need.litres
    if left < wanted:
        each = wanted / max(1, need.exposures)
        told = "before the first exposure" if left < each else f"at about exposure {int(left / each) + 1} of {need.exposures}"
        tell("litres", REFUSE, f"{bottle.code} has {left:.1f} l left and {wanted:.1f} l are needed: it will run out {told}.")
    elif left < need.litres_if_set:
        says = f"{left:.1f} l left: enough to check, but if it must be calibrated {need.litres_if_set:.1f} l are needed and it runs out."
        tell("litres", WARN, says)
    elif left < wanted * (1 + policy.spare_percent / 100):
        tell("litres", WARN, f"{bottle.code} has {left:.1f} l left for {wanted:.1f} l needed: nothing to spare for a repeat.")
    else:
        tell("litres", GOOD, f"{left:.0f} l left, {wanted:.1f} l needed with the purge.")
