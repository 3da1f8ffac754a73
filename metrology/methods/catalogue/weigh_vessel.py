"""weigh-vessel: a hopper, silo or tank on load cells: by weights, by weights with substitution, or worked out from its cells and then proved.

Sources: OIML R 76-1:2006 (permissible errors, substitution, creep, zero return, eccentric loading), NIST HB 44 2.20, EURAMET cg-18 v4.0
(uncertainty), WELMEC 2 (gravity), OIML D 28:2004 (buoyancy).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import lru_cache
from typing import Any

from metrology.judgement.reference import ReferenceStandard
from metrology.methods.advice.vessel import VesselAdvice
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left, numbered
from metrology.methods.flow.weighing import HANDS, NEAR_LOADS, scale_words, tur_of_weights, weights_need
from metrology.methods.method import Method, Traits
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need, Standards
from metrology.methods.steps import Check, Field, Pair, Readout, Step
from metrology.methods.trials.vessel import (
    FILE_OF,
    PARAMETERS,
    Vessel,
    VesselSettings,
    division_of,
    filed,
    room_of,
    scale,
    settings_of,
    told_of,
    way_of,
    ways,
)  # fmt: skip
from metrology.methods.watching import Still
from metrology.quantities.loading import COMPUTED, SUBSTITUTION, WEIGHTS, least_load
from metrology.quantities.words import plain

WAYS = {
    WEIGHTS: "Weights alone", SUBSTITUTION: "Weights with substitution by product", COMPUTED: "Worked out from the cells, then proved with the weights",
}  # fmt: skip
YES_NO = (("no", "Not today"), ("yes", "Yes"))
SERVICE = Pair("service", "Service mode of the indicator", "off", "on")


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps, as the choices so far shape them."""
    return _steps(setup, tuple(sorted(choices.items())))


OPTIONS = (
    ("leave", "Leave as it is"), ("adjust", "Set zero and span with the load"), ("computed", "Set zero and span as worked out"),
    ("restore", "Send it the parameters of the file"), ("repair", "Put it right, then test again"), ("repeat", "Take it again"),
)  # fmt: skip
BY_LOAD, BY_CELLS, BY_FILE = "load", "cells", "file"
STILL_MV_V = 0.002  # how far looks at a cell may lie apart: a person who walks on the vessel moves it by more


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    told = "Empty, the loads, and empty again, each when it stands still. Set nothing to zero yet."
    found = Wording("as_found", "judge", "as found", "judge", "As found", "Judge as found", told, OPTIONS, {}, keys=HANDS)

    def set_by(way: str) -> Callable[[int], tuple[Step, ...]]:
        return lambda n: _set(setup, n, way)

    def freed(n: int) -> tuple[Step, ...]:
        return tuple(replace(s, keys=("free",)) for s in common.repair(n))

    left = replace(
        found, found="as_left", judge="judge_left", phase="as left", judge_phase="as left", title="As left", judge_title="Judge as left",
        instruction="The same loads again.", follow={"adjust": set_by(BY_LOAD), "computed": set_by(BY_CELLS), "restore": set_by(BY_FILE), "repair": freed},
    )  # fmt: skip
    spare = Step("adjust", "confirm", "adjust", "Set zero and span", "Only where it is off and nothing binds it.")
    made = found_to_left(found, left, dict(chosen), spare)
    return (
        common.identity(setup),
        *_sheet(setup),
        common.references(Field("weights", "Weights", "reference", hint=f"{plain(setup.value('weights_kg', 0.0))} kg of them.")),
        _stored(setup),
        common.warm_up(setup),
        common.operator(setup),
        common.hold(),
        _lock(setup),
        common.cautions(setup, *NEAR_LOADS, checks=CHECKS),
        _free(),
        *_supports(setup),
        made[0],
        *_creep(setup),
        *made[1:],
        *_restore(setup),
    )


CHECKS = (
    Check("safe", "The cautions above are met"),
    Check("empty", "Vessel empty, or as empty as it is ever run"),
    Check("untouched", "Nothing zeroed or adjusted yet: as found comes first"),
)


def _sheet(setup: RunSetup) -> tuple[Step, ...]:
    s, top = settings_of(setup), setup.instrument.urv
    given = {
        "supports": s.supports, "cell_capacity_kg": s.cell_capacity, "excitation_v": s.excitation, "dead_load_kg": s.dead_load, "max_kg": top,
        "division_kg": division_of(setup), "least_uv": s.least_uv, "least_share_percent": s.least_share, "gravity": round(s.gravity, 5),
    }  # fmt: skip
    shown = tuple(_given(k, v) for k, v in given.items())
    options = tuple((w, WAYS[w]) for w in ways(setup))
    return (
        Step(
            "sheet", "compute", "prepare", "Sheet of the vessel",
            "What is left of the cells, what a division is in signal, and whether the weights to hand suffice. The rest is of the register.",
            fields=(
                Field("weights_kg", "Weights to hand, together", "number", "kg", low=0.001, high=1e6),
                Field("u_weights_percent", "u of the weights", "number", "%", low=0, high=1, required=False, hint="Empty: 0.005 %, class M1"),
                Field("can_fill", "Product can be filled in between", "choice", options=(("yes", "Yes"), ("no", "No"))),
            ),
            calculator="vessel-plan",
            given=(*shown, ("sensitivities", s.sensitivities), ("can_fill", "yes" if s.can_fill else "no")),
            enters=True, confirm_label="Keep the sheet",
        ),
        Step(
            "way", "confirm", "prepare", "How it is loaded",
            "Weights of a mass that is known come first; product stands in for them where they are too few; the cells' certificates last.",
            fields=(
                Field("way", "Loaded by", "choice", options=options),
                Field(
                    "density", "Density of the test load", "number", "kg/m3", required=False, hint="Empty: weights with a conventional mass",
                    low=200, high=22_000, likely=(700, 12_000),
                ),
            ),
            enters=True,
        ),
    )  # fmt: skip


def _given(name: str, value: float) -> tuple[str, Any]:
    return (name, f"{value:g}" if name != "gravity" else f"{value:.5f}")


def _stored(setup: RunSetup) -> Step:
    return Step(
        "stored", "confirm", "prepare", "Parameters it holds",
        "Read them off the indicator; its service mode stays off. A digit that is not that of the file was changed in the device only.",
        fields=tuple(_stored_field(setup, name, label, unit) for name, label, unit in PARAMETERS),
        beside=("On file",),
        readouts=(Readout("stored", "Read the indicator", tuple((name, name) for name, _, _ in PARAMETERS)),),
        enters=True,
    )  # fmt: skip


def _stored_field(setup: RunSetup, name: str, label: str, unit: str) -> Field:
    file = filed(setup, name)
    made = Field(name, label, "number", unit, low=-1e6, high=1e6, beside=("nothing" if file is None else told_of(name, file),))
    if file is None:
        return made
    room = FILE_OF * max(abs(file), 1.0)
    doubt = f"The file of the last time has {told_of(name, file)}: a slip, or changed in the device only."
    return replace(made, likely=(file - room, file + room), doubt=doubt)


def _lock(setup: RunSetup) -> Step:
    fills = way_of(setup) == SUBSTITUTION
    what = "agitator and discharge" if fills else "filling, discharge and agitator"
    own = " Filling stays with you: by hand, at the vessel, and nobody else can start it." if fills else ""
    return Step(
        "lock_out", "hold", "make safe", f"Lock out {what}",
        f"Isolate {what}; everyone at the vessel puts on a lock, then try to start it.{own}",
        fields=(Field("reason", "Isolated at, locks of"),), options=(("lock-out", f"Lock-out of {what}"),), of="lock_out",
        confirm_label="Locked out and proved dead",
    )  # fmt: skip


def _free() -> Step:
    return Step(
        "free", "confirm", "as found", "Does it stand free?",
        "Go round it from the ground to the roof. Whatever carries a part of the load makes it read low.",
        checks=(
            Check("pipes", "Pipes: flexible joints move, no pipe hangs on the vessel"),
            Check("stays", "Stays and check rods have play; jack bolts are down"),
            Check("cables", "Cables, hoses, ropes slack; no ladder, scaffold, pallet against it"),
            Check("platform", "Gap to platform and floor clear all round, no ice, no product in it"),
            Check("calm", "Agitator and vibrator off, little wind"),
        ),
        confirm_label="It stands free",
    )  # fmt: skip


def _supports(setup: RunSetup) -> tuple[Step, ...]:
    n = int(settings_of(setup).supports)
    none = (
        ""
        if dict(setup.entered).get("support_test") == "yes"
        else "No support test today."
        if dict(setup.entered).get("support_test")
        else ""
    )
    stages = (("empty", "empty"), ("loaded", "loaded"))
    fields = tuple(
        Field(f"{what}_{k}", f"Support {k}, {words}", "number", "mV/V", low=-10, high=10) for what, words in stages for k in range(1, n + 1)
    )
    readouts = tuple(
        Readout(what, f"Read the cells, {words}", tuple((f"{what}_{k}", f"cell{k}") for k in range(1, n + 1)), STILL_MV_V)
        for what, words in stages
    )
    return (
        Step(
            "support_today", "confirm", "as found", "Support test", "The signal of each cell by itself tells a leg that binds or a cell that is dead.",
            fields=(Field("support_test", "Support test", "choice", options=YES_NO),), enters=True,
        ),
        Step(
            "supports", "confirm", "as found", "Each support by itself",
            "At the junction box, each cell by itself: first empty, then with a load in the middle of the vessel. Take the load off again.",
            fields=fields, readouts=readouts, enters=True, left_out=none, keys=HANDS,
        ),
    )  # fmt: skip


def _creep(setup: RunSetup) -> tuple[Step, ...]:
    minutes = settings_of(setup).creep_min / 2
    known = dict(setup.entered).get("creep_test")
    none = "No creep test today." if known == "no" else ""

    def read(name: str, words: str, timer: str = "") -> Step:
        return Step(
            name, "confirm", "as found", f"Creep: {words}", "Note what it shows. Nothing is put on or taken off.",
            fields=(Field(name, "It shows", "number", "kg", low=-1e6, high=1e6),), enters=True, left_out=none, needs_timer=timer,
        )  # fmt: skip

    def wait(name: str) -> Step:
        told = f"{minutes:g} min. Leave the load alone."
        return Step(name, "timer", "as found", "Creep: wait", told, minutes=minutes, left_out=none)

    return (
        Step(
            "creep_today", "confirm", "as found", "Creep test", "A load that stays tells a cell that gives way, or a foundation that does.",
            fields=(Field("creep_test", "Creep test", "choice", options=YES_NO),), enters=True,
        ),
        Step(
            "creep_load", "confirm", "as found", "Creep: load", "Put the largest load on that is to hand, and leave it.",
            checks=(Check("on", "The load is on and secured"),), left_out=none, confirm_label="It is on",
        ),
        read("creep_0", "at once"), wait("creep_wait"), read("creep_15", "half time", "creep_wait"), wait("creep_wait_2"),
        read("creep_30", "at the end", "creep_wait_2"),
        Step("creep_off", "confirm", "as found", "Creep: load off", "Take the load off again.", checks=(Check("off", "The load is off"),), left_out=none),
    )  # fmt: skip


MEANT = {
    BY_LOAD: "Zero it empty, put the known load on, wait until it stands, enter its mass and accept. Take the load off.",
    BY_CELLS: "Send what was worked out from the cells' certificates.",
    BY_FILE: "Send what the file of the last time has.",
}


def _meant(setup: RunSetup, way: str) -> dict[str, float]:
    """What it is to hold afterwards, by name; what a load sets is not known beforehand."""
    cells, top = settings_of(setup).cells(), setup.instrument.urv
    if way == BY_FILE:
        return {name: setup.value(f"{name}_file", filed(setup, name) or 0.0) for name, _, _ in PARAMETERS}
    by_cells = {"p_zero": cells.mv_v(0.0), "p_span": cells.mv_v(top)} if way == BY_CELLS else {}
    return {**by_cells, "p_max": top, "p_division": division_of(setup)}


def _back(setup: RunSetup, name: str, label: str, unit: str, meant: float | None) -> Field:
    """A parameter as it is read back, beside what the file has, what was found in it and what was meant."""
    file = filed(setup, name)
    beside = (
        "nothing" if file is None else told_of(name, file), dict(setup.entered).get(name, ""),
        "as it works it out" if meant is None else told_of(name, meant),
    )  # fmt: skip
    made = Field(f"{name}_now", label, "number", unit, low=-10, high=10, beside=beside)
    if meant is None:
        return made
    room = room_of(unit, meant)
    why = "That is not what was meant to be sent. Send it again, or say why it stands."
    return replace(made, low=meant - room, high=meant + room, why=why, excused_by="differs")


def _file(setup: RunSetup, n: int) -> tuple[Step, ...]:
    """Which parameters are sent: those of the last time, or of a file that is chosen."""
    return (
        Step(
            numbered("file", n), "confirm", "adjust", "Parameters to send",
            "Those of the last time, or of a file that was saved of this vessel. Check them against the certificates of the cells.",
            fields=tuple(
                Field(
                    f"{name}_file", label, "number", unit, low=-1e6, high=1e6, usual="" if (file := filed(setup, name)) is None else told_of(name, file),
                    beside=(dict(setup.entered).get(name, ""),),
                )
                for name, label, unit in PARAMETERS
            ),
            beside=("Found in it",), loads=tuple((f"{name}_file", name) for name, _, _ in PARAMETERS), enters=True, confirm_label="These are sent",
        ),
    )  # fmt: skip


def _set(setup: RunSetup, n: int, way: str) -> tuple[Step, ...]:
    """Service mode on, sent, read back field by field, saved, service mode off. While it is on nothing can be released."""
    meant = _meant(setup, way)
    fields = tuple(_back(setup, name, label, unit, meant.get(name)) for name, label, unit in PARAMETERS)
    told = MEANT[way]
    sends = tuple((name, float(told_of(name, value))) for name, value in meant.items()) if way != BY_LOAD else ()
    back = Readout("back", "Read it back", tuple((f"{name}_now", name) for name, _, _ in PARAMETERS))
    return (
        *(_file(setup, n) if way == BY_FILE else ()),
        Step(
            numbered("service_on", n), "checkpairs", "adjust", "Service mode on",
            "From here the tool keeps it on its list until it is off again.", pairs=(SERVICE,), variant="all", keys=("service_on",),
            confirm_label="It is on",
        ),
        Step(
            numbered("send", n), "confirm", "adjust", "Send, then read back",
            f"{told} Then read every parameter back from the indicator, not from what was sent.",
            fields=(*fields, Field("differs", "Why a value differs", "long", required=False)), enters=True,
            beside=("On file", "Found in it", "To send"), readouts=(back,), sends=sends,
            keys=("zero", *HANDS, "span") if way == BY_LOAD else (), confirm_label="Read back",
        ),
        Step(
            numbered("backup", n), "confirm", "adjust", "Backup file",
            "Save its parameters as a file, with tag and date in the name, where the site keeps them.",
            fields=(Field("backup", "File saved as"),), saves=tuple((name, f"{name}_now") for name, _, _ in PARAMETERS), confirm_label="Saved",
        ),
        Step(
            numbered("service_off", n), "checkpairs", "adjust", "Service mode off", "Off before it is proved: what is proved must be what stays.",
            pairs=(SERVICE,), variant="back", keys=("service_off",), confirm_label="It is off",
        ),
    )  # fmt: skip


def _restore(setup: RunSetup) -> tuple[Step, ...]:
    restore, release, sign = common.restore(
        setup,
        checks=(
            Check("load_off", "Weights off the vessel, lifting gear away"),
            Check("free", "Nothing was left that touches or hangs on the vessel"),
            Check("lock", "Indicator locked, seal noted"),
            Check("tidy", "Junction box closed and dry, tools cleared away"),
        ),
        caution="Weights left on are product that was never there.",
    )
    unlock = Step(
        "unlock", "release", "restore", "Lock-out off", "Everyone clear and told, each takes off the own lock.",
        fields=(Field("clear", "Everyone clear, seen by (name)"), Field("locks", "Locks taken off by their owners (names)")),
        of="lock_out", confirm_label="Lock-out off",
    )  # fmt: skip
    kg = setup.value("weights_kg", 0.0)
    stored = Field(
        "weights_stored", "Weights back in their store, together", "number", "kg", low=kg * (1 - 1e-9), high=kg * (1 + 1e-9),
        why=f"{plain(kg)} kg came to this vessel. Count what is still on or under it before it is given back.",
    )  # fmt: skip
    return restore, unlock, replace(release, fields=(stored, *release.fields)), sign


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """The weights to hand; before that is told, as much as the least useful test load."""
    s = settings_of(setup)
    least = min(least_load(s.cells(), s.least_share), setup.instrument.urv)
    return (weights_need(setup.value("weights_kg", 0.0) or least),)


def tur(setup: RunSetup, _role: str, reference: ReferenceStandard) -> float:
    """What is allowed at the weights over their uncertainty."""
    return tur_of_weights(setup, TRIAL, reference, min(setup.value("weights_kg", setup.instrument.urv), setup.instrument.urv))


TRIAL = Vessel(scale)
METHOD = Method(
    key="weigh-vessel",
    title="Vessel on load cells",
    revision="3",
    traits=Traits(
        "weighing",
        measures=("mass",),
        default_points=(),
        has_points=False,
        wears=("Test weights, lifting gear in date",),
        paired_adjusting=False,
    ),
    settings=VesselSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, tur),
    advice=VesselAdvice(),
    watching=Still(TRIAL),
    words=scale_words,
    names={
        "adjust": "zero and span set with the load",
        "computed": "zero and span set as worked out",
        "restore": "parameters of the file sent",
    },
)
