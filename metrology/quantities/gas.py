"""Gas concentrations, lower explosive limits on two bases, gas volumes and dilution purges."""

from __future__ import annotations

import math
from dataclasses import dataclass

from metrology.faults import Fault, require_finite, require_positive, require_range

# Named as on the records that were made before ISO/IEC 80079-20-1 took its place, with the same limits.
BASES = {"iec": "IEC 60079-20-1", "nfpa": "NFPA 497 / ISO 10156"}


@dataclass(frozen=True)
class Gas:
    """A gas with its lower explosive limit in % vol on each basis; None where it does not burn or is not listed."""

    name: str
    formula: str
    lel_iec: float | None
    lel_nfpa: float | None


# ISO/IEC 80079-20-1:2017 annex B, and NFPA 497:2017 table 4.4.2 with ISO 10156:2017 where NFPA is silent.
GASES: dict[str, Gas] = {
    "methane": Gas("methane", "CH4", 4.4, 5.0),
    "ethane": Gas("ethane", "C2H6", 2.4, 3.0),
    "propane": Gas("propane", "C3H8", 1.7, 2.1),
    "n-butane": Gas("n-butane", "C4H10", 1.4, 1.9),
    "isobutane": Gas("isobutane", "i-C4H10", 1.3, 1.8),
    "n-pentane": Gas("n-pentane", "C5H12", 1.1, 1.5),
    "n-hexane": Gas("n-hexane", "C6H14", 1.0, 1.1),
    "n-heptane": Gas("n-heptane", "C7H16", 0.85, 1.0),
    "n-octane": Gas("n-octane", "C8H18", 0.8, 1.0),
    "n-nonane": Gas("n-nonane", "C9H20", 0.7, 0.8),
    "cyclohexane": Gas("cyclohexane", "C6H12", 1.0, 1.3),
    "ethylene": Gas("ethylene", "C2H4", 2.3, 2.7),
    "propylene": Gas("propylene", "C3H6", 2.0, 2.4),
    "1,3-butadiene": Gas("1,3-butadiene", "C4H6", 1.4, 2.0),
    "acetylene": Gas("acetylene", "C2H2", 2.3, 2.5),
    "hydrogen": Gas("hydrogen", "H2", 4.0, 4.0),
    "carbon monoxide": Gas("carbon monoxide", "CO", 10.9, 12.5),
    "ammonia": Gas("ammonia", "NH3", 15.0, 15.0),
    "hydrogen sulphide": Gas("hydrogen sulphide", "H2S", 4.0, 4.0),
    "hydrogen cyanide": Gas("hydrogen cyanide", "HCN", 5.4, 5.6),
    "methanol": Gas("methanol", "CH3OH", 6.0, 6.0),
    "ethanol": Gas("ethanol", "C2H5OH", 3.1, 3.3),
    "isopropanol": Gas("isopropanol", "i-C3H7OH", 2.0, 2.0),
    "acetone": Gas("acetone", "C3H6O", 2.5, 2.5),
    "methyl ethyl ketone": Gas("methyl ethyl ketone", "C4H8O", 1.5, 1.4),
    "ethyl acetate": Gas("ethyl acetate", "C4H8O2", 2.0, 2.0),
    "diethyl ether": Gas("diethyl ether", "C4H10O", 1.7, 1.9),
    "ethylene oxide": Gas("ethylene oxide", "C2H4O", 2.6, 3.0),
    "benzene": Gas("benzene", "C6H6", 1.2, 1.3),
    "toluene": Gas("toluene", "C7H8", 1.0, 1.1),
    "xylene": Gas("xylene", "C8H10", 1.0, 1.0),
    "styrene": Gas("styrene", "C8H8", 1.0, 0.9),
    "vinyl chloride": Gas("vinyl chloride", "C2H3Cl", 3.6, 3.6),
    "oxygen": Gas("oxygen", "O2", None, None),
    "nitrogen": Gas("nitrogen", "N2", None, None),
    "carbon dioxide": Gas("carbon dioxide", "CO2", None, None),
    "chlorine": Gas("chlorine", "Cl2", None, None),
    "chlorine dioxide": Gas("chlorine dioxide", "ClO2", None, None),
    "sulphur dioxide": Gas("sulphur dioxide", "SO2", None, None),
    "nitric oxide": Gas("nitric oxide", "NO", None, None),
    "nitrous oxide": Gas("nitrous oxide", "N2O", None, None),
    "nitrogen dioxide": Gas("nitrogen dioxide", "NO2", None, None),
    "hydrogen chloride": Gas("hydrogen chloride", "HCl", None, None),
    "ozone": Gas("ozone", "O3", None, None),
}
_OTHER_NAMES = {
    "butane": "n-butane",
    "pentane": "n-pentane",
    "hexane": "n-hexane",
    "heptane": "n-heptane",
    "octane": "n-octane",
    "nonane": "n-nonane",
    "ethene": "ethylene",
    "propene": "propylene",
    "ethyne": "acetylene",
    "butadiene": "1,3-butadiene",
    "hydrogen sulfide": "hydrogen sulphide",
    "sulfur dioxide": "sulphur dioxide",
    "2-propanol": "isopropanol",
    "propan-2-ol": "isopropanol",
    "mek": "methyl ethyl ketone",
    "iso-butane": "isobutane",
    "butanone": "methyl ethyl ketone",
}


def find_gas(name: str) -> Gas:
    """The gas of that name, formula or customary other name (any case; dash or underscore for the blank)."""
    key = str(name).strip().lower()
    for candidate in (key, key.replace("_", " "), key.replace("-", " "), key.replace("_", "-").replace(" ", "-")):
        found = GASES.get(_OTHER_NAMES.get(candidate, candidate))
        if found:
            return found
    for gas in GASES.values():
        if gas.formula.lower() == key:
            return gas
    raise Fault("unknown_gas", f"gas is {name!r}; known are {', '.join(GASES)}.", field="gas")


def lel_percent_vol(gas: Gas, basis: str) -> float | None:
    """Lower explosive limit in % vol on basis iec or nfpa; None for a gas that has none."""
    if basis not in BASES:
        raise Fault("unknown_basis", f"basis is {basis!r}; accepted are iec and nfpa.", field="basis")
    return gas.lel_iec if basis == "iec" else gas.lel_nfpa


def gas_convert(value: float, gas: Gas, *, from_unit: str, to_unit: str, basis: str = "iec") -> float:
    """Convert a concentration between ppm (by volume), vol (% vol) and lel (% of the lower explosive limit).

    1 % vol = 10 000 ppm; %LEL = 100 x % vol / LEL. Raises a Fault for a gas without LEL, a negative
    value, or more than 100 % vol. Sources of the limits: ISO/IEC 80079-20-1:2017; NFPA 497:2017.

    >>> gas_convert(50.0, find_gas("methane"), from_unit="lel", to_unit="vol")
    2.2
    """
    lel = lel_percent_vol(gas, basis)
    for unit, field in ((from_unit, "from"), (to_unit, "to")):
        if unit not in ("ppm", "vol", "lel"):
            raise Fault("unknown_unit", f"{field} is {unit!r}; accepted are ppm, vol and lel.", field=field)
        if unit == "lel" and lel is None:
            raise Fault("no_lel", f"{gas.name} has no lower explosive limit; use ppm or vol.", field=field)
    require_finite(value, "value")
    per_vol = {"ppm": 1e-4, "vol": 1.0, "lel": (lel or 0.0) / 100.0}
    vol = value * per_vol[from_unit]
    if not 0 <= vol <= 100 + 1e-9:
        top = 100 / per_vol[from_unit]
        raise Fault(
            "out_of_range",
            f"value is {value:g} {from_unit}; accepted is 0 to {top:g} {from_unit} (100 % vol).",
            field="value",
            low=0.0,
            high=top,
        )
    return vol / per_vol[to_unit]


def reference_voltage(concentration: float, channel_range: float, *, full_scale_v: float) -> float:
    """Voltage that stands for a concentration on a channel: concentration / range x full scale, in V."""
    require_positive(channel_range, "range")
    require_positive(full_scale_v, "full_scale_v", "V")
    require_range(concentration, 0.0, channel_range, field="concentration")
    return concentration / channel_range * full_scale_v


def gas_volume(flow_l_min: float, minutes: float, *, exposures: float = 1) -> float:
    """Litres of gas for a number of exposures: flow x time x exposures."""
    require_positive(flow_l_min, "flow_l_min", "l/min")
    require_positive(minutes, "minutes", "min")
    require_positive(exposures, "exposures")
    return flow_l_min * minutes * exposures


def purge_cycles(gauge_kpa: float, start_ppm: float, *, target_ppm: float, atmosphere_kpa: float = 101.325) -> tuple[int, float]:
    """Cycles of fill-and-vent until the residual is at or below target: (cycles, residual ppm).

    residual = start x (P_atm / (P_atm + P_gauge))^n, perfect mixing assumed.

    >>> purge_cycles(300.0, 209000.0, target_ppm=1.0)[0]
    9
    """
    require_positive(gauge_kpa, "gauge_kpa", "kPa")
    require_positive(start_ppm, "start_ppm", "ppm")
    require_positive(target_ppm, "target_ppm", "ppm")
    require_positive(atmosphere_kpa, "atmosphere_kpa", "kPa")
    ratio = atmosphere_kpa / (atmosphere_kpa + gauge_kpa)
    if target_ppm >= start_ppm:
        return 0, start_ppm
    cycles = max(0, math.ceil(math.log(target_ppm / start_ppm) / math.log(ratio) - 1e-9))
    if cycles > 100_000:
        raise Fault(
            "too_many_cycles",
            f"gauge_kpa is {gauge_kpa:g} kPa; that would take {cycles} cycles. Use more pressure.",
            field="gauge_kpa",
        )
    return cycles, start_ppm * ratio**cycles
