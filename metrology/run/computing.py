"""Compute steps: a calculation bound to the run, its input filled from the register and the technician, its result kept."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from metrology.calculators import calculate
from metrology.faults import Fault, Faults
from metrology.methods.steps import Step
from metrology.run.fields import CONFIRMED, check_fields, entered, text_of
from metrology.run.state import RunState


def _loop_doubt(result: Mapping[str, Any]) -> str:
    return "" if result["communicates"] else str(result["reason"])


# Results that may stand, but only with a reason: calculation -> what is wrong, empty when nothing is.
_DOUBTS: dict[str, Callable[[Mapping[str, Any]], str]] = {"loop": _loop_doubt}


def compute(state: RunState, step: Step, values: Mapping[str, str]) -> dict[str, Any]:
    """The step's calculation with the register's values and those typed in the step; raises a Fault as the calculation does."""
    return calculate(step.calculator, {**dict(step.given), **{k: v for k, v in values.items() if v}})


def admit_computed(state: RunState, step: Step, payload: Mapping[str, Any]) -> dict[str, Any]:
    """The completed payload of a compute step: what went in, what came out, and why a doubtful result may stand."""
    faults: list[Fault] = []
    given = dict(step.given)
    typed = payload.get("values") or {}
    raw = {f.name: typed.get(f.name) or given.get(f.name, "") for f in step.fields} if isinstance(typed, Mapping) else {}
    raw |= {CONFIRMED: typed.get(CONFIRMED, "")} if isinstance(typed, Mapping) else {}
    values = check_fields(step.fields, raw, faults)
    if faults:
        raise Faults(faults)
    result = compute(state, step, values)
    if step.calculator == "displacer-weights" and not result["usable"]:
        raise Fault("cannot_be_made", str(result["says"]), field="weights_on_hand", result=result)
    doubt = _DOUBTS[step.calculator](result) if step.calculator in _DOUBTS else ""
    reason = text_of(payload, "reason", label="A reason for going on although the result is not good", required=False)
    if doubt and not reason:
        raise Fault("result_not_good", f"{doubt} Correct it, or say why you go on.", field="reason", needs_reason=True, result=result)
    return {
        "step": step.key,
        "values": values,
        "checks": [],
        "computed": {"calculator": step.calculator, "result": result, "reason": reason if doubt else ""},
        **({"enters": {**entered(values), **{k: f"{result[k]:g}" for k in step.enters_result}}} if step.enters else {}),
    }
