"""Gas, displacers, belts, vessels, scales, Coriolis zero."""

from __future__ import annotations

from metrology.calculations.registry import Result, calculator
from metrology.calculator_fields import Input
from metrology.faults import Fault
from metrology.quantities import belt, buoyancy, flow, gas, weighing


@calculator("gas-convert", "Concentration between ppm, % vol and %LEL, on either LEL basis.")
def _gas_convert(given: Input) -> Result:
    found = gas.find_gas(given.text("gas"))
    basis = given.choice("basis", tuple(gas.BASES), default="iec")
    value = gas.gas_convert(
        given.number("value"),
        found,
        from_unit=given.choice("from", ("ppm", "vol", "lel")),
        to_unit=given.choice("to", ("ppm", "vol", "lel")),
        basis=basis,
    )
    return {
        "value": value,
        "lel_percent_vol": gas.lel_percent_vol(found, basis),
        "basis": basis,
        "source": gas.BASES[basis],
    }


@calculator("gas-reference-voltage", "Reference voltage that stands for a gas concentration on a channel.")
def _gas_reference_voltage(given: Input) -> Result:
    return {"volts": gas.reference_voltage(given.number("concentration"), given.number("range"), full_scale_v=given.number("full_scale_v"))}


@calculator("gas-volume", "Litres of gas for a number of exposures.")
def _gas_volume(given: Input) -> Result:
    return {"litres": gas.gas_volume(given.number("flow_l_min"), given.number("minutes"), exposures=given.number("exposures", default=1.0))}


@calculator("purge-cycles", "Fill-and-vent cycles to purge a regulator.")
def _purge_cycles(given: Input) -> Result:
    cycles, residual = gas.purge_cycles(
        given.number("gauge_kpa"),
        given.number("start_ppm"),
        target_ppm=given.number("target_ppm"),
        atmosphere_kpa=given.number("atmosphere_kpa", default=101.325),
    )
    return {"cycles": cycles, "residual_ppm": residual}


@calculator("displacer", "Buoyancy and apparent weight of a displacer.")
def _displacer(given: Input) -> Result:
    weight = given.number("weight")
    if given.has("volume"):
        volume = given.number("volume")
    else:
        if not given.has("diameter"):
            raise Fault("missing", "volume is missing; give volume, or diameter and length, above 0.", field="volume")
        volume = buoyancy.cylinder_volume(given.number("diameter"), given.number("length"))
    lift, apparent = buoyancy.displacer_load(
        weight,
        volume,
        density=given.number("density"),
        upper_density=given.number("upper_density", default=0.0),
        percent=given.number("percent"),
    )
    return {"buoyancy": lift, "apparent_weight": apparent, "volume": volume}


MAX_OFF_PERCENT = 5.0


@calculator("displacer-weights", "Weights to hang for a dry test of a displacer, from the set on hand.")
def _displacer_weights(given: Input) -> Result:
    percents = given.numbers("percents") if given.has("percents") else [0.0, 25.0, 50.0, 75.0, 100.0]
    rows = buoyancy.hung_loads(
        given.number("weight"),
        given.number("volume"),
        density=given.number("density"),
        upper_density=given.number("upper_density", default=0.0),
        gravity=given.number("gravity", default=1.0),
        percents=percents,
        on_hand=given.numbers("weights_on_hand") if given.has("weights_on_hand") else [],
    )
    far = [r for r in rows if abs(r.off_percent) > MAX_OFF_PERCENT + 1e-9]
    says = "Every point can be made; its true level is what the load made stands for."
    if far:
        worst = max(far, key=lambda r: abs(r.off_percent))
        says = (
            f"{worst.percent:g} % needs {worst.exact:.4f}; the nearest that can be made is {worst.load:.4f}, a true level of "
            f"{worst.true_percent:.2f} %. That is more than {MAX_OFF_PERCENT:g} % off: bring smaller weights."
        )
    return {
        "usable": not far,
        "says": says,
        "rows": [
            {
                "percent": r.percent,
                "exact": r.exact,
                "load": r.load,
                "weights": list(r.weights),
                "true_percent": r.true_percent,
                "off_percent": r.off_percent,
            }
            for r in rows
        ],
    }


@calculator("belt-revolutions", "Whole belt revolutions for a target time.")
def _belt_revolutions(given: Input) -> Result:
    n, duration = belt.belt_revolutions(given.number("belt_length_m"), given.number("speed_m_s"), minutes=given.number("minutes"))
    return {"revolutions": n, "duration_s": duration}


@calculator("belt-load", "Load per metre and rate that a test weight stands for.")
def _belt_load(given: Input) -> Result:
    kg_per_m, rate = belt.belt_load(given.number("test_weight_kg"), given.number("idler_pitch_m"), speed_m_s=given.number("speed_m_s"))
    return {"kg_per_m": kg_per_m, "t_per_h": rate}


@calculator("vessel-signal", "Signal of a vessel on load cells.")
def _vessel_signal(given: Input) -> Result:
    supports = given.number("supports")
    s = weighing.vessel_signal(
        supports,
        given.number("cell_capacity_kg"),
        sensitivity_mv_v=given.number("sensitivity_mv_v"),
        excitation_v=given.number("excitation_v"),
        dead_load_kg=given.number("dead_load_kg"),
        division_kg=given.number("division_kg"),
    )
    return {
        "live_capacity_kg": s.live_capacity_kg,
        "uv_per_kg": s.uv_per_kg,
        "uv_per_division": s.uv_per_division,
        "divisions": s.divisions,
    }


@calculator("scale-tolerance", "Permissible error of a scale in divisions, OIML or Handbook 44.")
def _scale_tolerance(given: Input) -> Result:
    return {
        "tolerance_divisions": weighing.scale_tolerance(
            given.text("scheme"), given.number("load_divisions"), stage=given.text("stage", default="initial")
        )
    }


@calculator("coriolis-zero", "Stored against observed zero of a Coriolis meter.")
def _coriolis_zero(given: Input) -> Result:
    z = flow.coriolis_zero(
        given.number("stored"),
        given.number("observed"),
        stability=given.number("stability"),
        normal_flow=given.number("normal_flow"),
        minimum_flow=given.number("minimum_flow"),
    )
    return {
        "error_percent_normal": z.error_percent_normal,
        "error_percent_minimum": z.error_percent_minimum,
        "verdict": z.verdict,
        "reason": z.reason,
    }
