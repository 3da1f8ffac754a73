"""From due instruments to the jobs of a round: how long, who may, with which kit and gas, and what may not coincide."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date
from typing import Any, cast

from apps.kit.models import GasFitting, Reference
from apps.planning.models import Round, RoundJob
from apps.planning.solver.problem import Fixed, GasNeed, Job, Problem, Worker
from apps.plant.models import Area, Instrument
from apps.plant.needs import skills_of
from apps.plant.once import once
from apps.plant.policies import policy_for
from apps.runs.gas import bottles
from metrology.faults import Fault
from metrology.judgement.gas_kit import GOOD, REFUSE, WARN, Bottle, Fitting, judge_kit
from metrology.judgement.gas_kit import GasNeed as KitNeed
from metrology.judgement.policy import Policy
from metrology.judgement.reference import find_reference_faults
from metrology.methods.effort import effort_of, effort_on_paper
from metrology.methods.method import Method
from metrology.methods.registry import METHODS
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need

METRES_A_MINUTE = 70.0
THRESHOLD_MIN = 1  # doors, stairs
BASE = "WSH"
MUST_WORTH = 400


def ways(areas: list[Area]) -> dict[tuple[str, str], int]:
    """Minutes of walking between every two areas, from where they lie on the plan."""
    out = {}
    for a in areas:
        for b in areas:
            if a.code < b.code:
                metres = math.hypot(a.east_m - b.east_m, a.north_m - b.north_m)
                out[a.code, b.code] = max(3, THRESHOLD_MIN + math.ceil(metres / METRES_A_MINUTE))
    return out


def base_of(areas: list[Area]) -> str:
    """Where people start, have lunch and come back to: the workshop, else the first area."""
    codes = [a.code for a in areas]
    return BASE if BASE in codes or not codes else codes[0]


def worth(i: Instrument, day: date, *, is_must: bool) -> int:
    """How much it counts to do an instrument on a day: the more overdue the more, before what is due later."""
    if i.next_due is None:
        urgency = 40
    else:
        late = (day - i.next_due).days
        urgency = 100 + min(150, 4 * late) if late >= 0 else max(50, 100 + late)
    return urgency + (25 if i.feeds else 0) + (MUST_WORTH if is_must else 0)


@dataclass
class Store:
    """What the kit holds that a round of a day may take: what another round of that day has taken is not in it."""

    references: list[Reference]
    bottles: list[Bottle]
    fittings: list[Fitting]

    @classmethod
    def of(cls, found: Round) -> Store:
        """The kit free for a round."""
        return cast(Store, once(f"store {found.pk}", lambda: cls._look(found)))

    @classmethod
    def _look(cls, found: Round) -> Store:
        taken = taken_elsewhere(found)
        references = [r for r in Reference.objects.filter(state="in service") if r.code not in taken]
        fittings = [f.fitting() for f in GasFitting.objects.filter(state="in service")]
        return cls(references, [b for b in bottles() if b.state == "in service" and b.code not in taken], fittings)

    def litres(self, policy: Policy) -> dict[str, float]:
        """What may be planned of each bottle: what is left less what must be spared."""
        return {b.code: b.litres_left / (1 + policy.spare_percent / 100) for b in self.bottles}


def taken_elsewhere(found: Round) -> set[str]:
    """Kit and bottles that other rounds of the same day have."""
    others = (
        RoundJob.objects.filter(round__day=found.day, round__status__in=("planned", "under way")).exclude(round=found).exclude(tasks=[])
    )
    return {code for kit in others.values_list("kit", flat=True) for code in kit}


def all_areas() -> list[Area]:
    """Every area, looked up once for a request."""
    return cast(list[Area], once("areas", lambda: list(Area.objects.all())))


def build_problem(found: Round, *, now: int = 0, keep: dict[str, Fixed] | None = None, gone: set[str] = frozenset()) -> Problem:  # type: ignore[assignment]
    """The round as the solver takes it. keep: what stays where it is; gone: what is done already."""
    areas = all_areas()
    store = Store.of(found)
    jobs = []
    rows = found.jobs.select_related("instrument__area").order_by("id")
    for row in rows:
        if row.instrument.tag not in gone:
            jobs.append(make_job(found, row, store, (keep or {}).get(row.instrument.tag)))
    crew = tuple(_worker(c, now) for c in found.crew)
    lunches = {k: int(v) for k, v in found.result.get("lunches", {}).items()}
    return Problem(crew, tuple(jobs), ways(areas), base_of(areas), store.litres(Policy()), now, lunches)


def problem_of(found: Round) -> Problem:
    """The whole round as it stands, for looking at it."""
    return cast(Problem, once(f"problem {found.pk}", lambda: build_problem(found)))


def _worker(c: dict[str, Any], now: int) -> Worker:
    lunch = c.get("lunch")
    earliest = max(int(c["start"]), now)
    if lunch and (earliest > lunch[1] or int(c["end"]) <= lunch[0] + lunch[2]):
        lunch = None
    return Worker(
        c["username"],
        earliest,
        int(c["end"]),
        frozenset(c.get("skills", [])),
        (max(lunch[0], earliest), lunch[1], lunch[2]) if lunch else None,
    )


def make_job(found: Round, row: RoundJob, store: Store, fixed: Fixed | None) -> Job:
    """One instrument as a job."""
    i = row.instrument
    method = METHODS.get(i.method)
    setup = setup_of(i) if method else None
    effort = (
        effort_of(method, setup, attention_min=i.work_min) if method and setup else effort_on_paper(i.work_min, warm_up_min=i.warm_up_min)
    )
    permit = found.permits.get(i.area.code) if i.area.needs_permit else None
    groups = tuple(dict.fromkeys(g for g in (i.voting_group, i.zone) if g)) if method and method.traits.excludes_group else ()
    kit, gas = _needs(i, setup, store, found.day) if setup else ((), ())
    return Job(
        key=i.tag,
        area=i.area.code,
        value=worth(i, found.day, is_must=row.is_must),
        tasks=effort.tasks,
        waits=effort.waits,
        hold_from=effort.hold_from,
        people=max(i.people, 2 if i.access == "confined" else 1),
        skills=skills_of(i),
        window=(int(permit[0]), int(permit[1])) if permit else None,
        groups=groups,
        kit=kit,
        gas=gas,
        is_must=row.is_must,
        fixed=fixed,
    )


def setup_of(i: Instrument) -> RunSetup | None:
    """What a run of it would be set up with; None where its register does not hold together."""
    try:
        return i.run_setup(policy_for(i), METHODS[i.method].revision)
    except Fault:
        return None


def _needs(i: Instrument, setup: RunSetup, store: Store, day: date) -> tuple[tuple[tuple[str, ...], ...], tuple[GasNeed, ...]]:
    method = METHODS[i.method]
    kit = []
    needs = method.standards.needs(setup)
    for each in needs:
        if each.kind == "reference":
            fit = [
                r
                for r in store.references
                if not find_reference_faults(r.standard(), low=each.low, high=each.high, unit=each.unit, today=day)
            ]
            kit.append(tuple(r.code for r in _fine_enough(method, setup, each, fit)))
    gas = []
    for need in (n.detail for n in needs if n.kind == "gas"):
        if not is_bottled(need.kind, need.gas, setup.policy.zero_gas):
            continue
        fit_ = [b.code for b in store.bottles if _bottle_fits(need, b, store.fittings, day, setup.policy)]
        gas.append(GasNeed(tuple(fit_), round(need.litres, 1)))
    return tuple(kit), tuple(gas)


def _fine_enough(method: Method, setup: RunSetup, need: Need, fit: list[Reference]) -> list[Reference]:
    """Those whose TUR is as wanted; where none reaches it, those finer than the tolerance, which take a reason in the run."""
    if need.is_informative:
        return fit
    turs = {r.code: method.standards.tur(setup, need.role, r.standard()) for r in fit}
    wanted = [r for r in fit if turs[r.code] >= setup.policy.minimum_tur]
    return wanted or [r for r in fit if turs[r.code] >= 1]


def is_bottled(kind: str, gas: str, zero_gas: str) -> bool:
    """Whether a need is served from a bottle at all: ambient or scrubbed air is not carried."""
    return kind not in ("zero", "air") or zero_gas == "bottled" or gas == "nitrogen"


def _bottle_fits(need: KitNeed, bottle: Bottle, fittings: list[Fitting], day: date, policy: Policy) -> bool:
    return fittings_for(need, bottle, fittings, day, policy) is not None


def fittings_for(need: KitNeed, bottle: Bottle, fittings: list[Fitting], day: date, policy: Policy) -> tuple[Fitting, Fitting] | None:
    """The regulator and the line with which a bottle serves a need best; None when it can't be used with any."""
    rank = {GOOD: 0, WARN: 1}
    pairs = [(r, line) for r in fittings if r.kind == "regulator" for line in fittings if line.kind == "line"]
    judged = [(judge_kit(need, bottle, regulator=r, line=line, today=day, policy=policy).standing, r, line) for r, line in pairs]
    able = [(rank[standing], r.stays_on != bottle.code, r.code, line.code, r, line) for standing, r, line in judged if standing != REFUSE]
    return min(able)[4:] if able else None
