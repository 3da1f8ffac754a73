"""What must be in the van for a round: kit, gas with what is spared, regulators and lines, buffers, weights, and what is worn."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from datetime import date
from typing import Any

from apps.kit.models import GasBottle, Reference
from apps.planning.following import plan_of
from apps.planning.jobs import Store, all_areas, fittings_for, is_bottled, problem_of, setup_of, taken_elsewhere
from apps.planning.models import Round
from apps.planning.solver.handing import hand_overs
from apps.planning.solver.problem import Placed, clock
from apps.plant.models import ACCESS, Instrument
from apps.plant.once import once
from apps.plant.policies import policy_for
from apps.runs.gas import bottles
from apps.runs.items import ITEMS, items_offered
from metrology.judgement.policy import Policy
from metrology.methods.registry import METHODS
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need
from metrology.methods.standards.kinds import OFFERED


class Load:
    """Collects the load of a round, item by item, with who has it and what it is for."""

    def __init__(self, found: Round) -> None:
        self.found, self.store = found, Store.of(found)
        self.plan, self.problem = plan_of(found), problem_of(found)
        self.base = next((a.name for a in all_areas() if a.code == self.problem.base), "the workshop")
        self.names = {c["username"]: c["name"] for c in found.crew}
        self.who: dict[str, set[str]] = defaultdict(set)
        self.handed = {h.item: h for h in hand_overs(self.problem, self.plan)}
        self.litres: dict[str, float] = defaultdict(float)
        self.more: dict[str, str] = {}  # code to words, of what the solver does not share out
        self.wear: dict[str, list[str]] = defaultdict(list)
        self.lacks: list[str] = []
        for row in found.jobs.select_related("instrument__area").exclude(tasks=[]):
            at = self.plan.placed.get(row.instrument.tag)
            if at:
                self._job(row.instrument, at)

    def _job(self, i: Instrument, at: Placed) -> None:
        person = self.names.get(at.people[0], at.people[0])
        for item in (*at.kit, *at.bottles):
            if item:
                self.who[item].add(person)
        for bottle, need in zip(at.bottles, self.problem.index[i.tag].gas, strict=False):
            self.litres[bottle] += need.litres
        for code, words in (*self._fittings(i, at), *self._poured(i)):
            self.more[code] = words
            self.who[code].add(person)
        for item in protection_of(i):
            self.wear[item].append(i.tag)

    def _fittings(self, i: Instrument, at: Placed) -> list[tuple[str, str]]:
        """The regulator and line for each bottle of a gas job."""
        setup = setup_of(i) if i.method in METHODS else None
        if setup is None:
            return []
        held = {b.code: b for b in bottles()}
        gases = [n.detail for n in METHODS[i.method].standards.needs(setup) if n.kind == "gas"]
        needs = [n for n in gases if is_bottled(n.kind, n.gas, setup.policy.zero_gas)]
        out = []
        for code, need in zip(at.bottles, needs, strict=False):
            pair = fittings_for(need, held[code], self.store.fittings, self.found.day, policy_for(i)) if code in held else None
            for f in pair or ():
                flow = f", {f.flow_l_min:g} l/min" if f.flow_l_min else ""
                out.append((f.code, f"{f.kind.capitalize()}, {f.material}{flow}"))
        return out

    def _poured(self, i: Instrument) -> list[tuple[str, str]]:
        """The bottles that serve a job's needs of buffers and standards, one a role, such that fit together and are good on the day."""
        setup = setup_of(i) if i.method in METHODS else None
        needs = [n for n in METHODS[i.method].standards.needs(setup) if n.kind in ITEMS] if setup else []
        if setup is None or not needs:
            return []
        chosen = _fitting_together(setup, needs, items_offered(needs[0].kind), self.found.day)
        if chosen is None:
            told = " and ".join(f"'{n.words}'" for n in needs)
            what = f"buffers for {told}, of one table" if needs[0].kind == "buffer" else told
            self.lacks.append(f"{i.tag} needs {what}; those in service that are good on that day don't give them.")
        return [(str(b["code"]), f"{b['name']}, lot {b['lot']}, good until {b['good_until']}") for b in chosen or ()]

    def as_dict(self) -> dict[str, Any]:
        """The load as plain data."""
        spare = 1 + Policy().spare_percent / 100
        kit = sorted(c for c in self.who if c not in self.litres and c not in self.more)
        return {
            "kit": [self._item(c, _name(c)) for c in kit],
            "gas": [
                {**self._item(c, _gas_name(c)), "litres": round(n * spare, 1), "left": round(self.problem.litres.get(c, 0) * spare, 1)}
                for c, n in sorted(self.litres.items())
                if c
            ],
            "more": [self._item(c, words) for c, words in sorted(self.more.items(), key=lambda row: (row[1].partition(" ")[0], row[0]))],
            "wear": [{"what": w, "tags": sorted(tags)} for w, tags in sorted(self.wear.items())],
            "lacks": list(dict.fromkeys(self.lacks)),
            "elsewhere": sorted(taken_elsewhere(self.found)),
        }

    def _item(self, code: str, words: str = "") -> dict[str, Any]:
        return {"code": code, "words": words, "who": self._who(code), "handed": self._handed(code), "litres": None, "left": None}

    def _who(self, code: str) -> list[str]:
        """Who has it; where it changes hands, who has it first stands first."""
        h = self.handed.get(code)
        first = self.names.get(h.giver, h.giver) if h else ""
        return sorted(self.who[code], key=lambda name: (name != first, name))

    def _handed(self, code: str) -> str:
        """Where, when and to whom it changes hands at lunch; empty of what stays with one."""
        h = self.handed.get(code)
        if h is None:
            return ""
        giver, taker = (self.names.get(who, who) for who in (h.giver, h.taker))
        return f"{giver} brings it to {self.base} at {clock(h.brought_at)}, {taker} takes it on from there at {clock(h.taken_at)}"


def load_list(found: Round) -> dict[str, Any]:
    """What must be in the van."""
    return Load(found).as_dict()


def _gas_name(code: str) -> str:
    return str(once("bottle names", lambda: dict(GasBottle.objects.values_list("code", "name"))).get(code, ""))


def _name(code: str) -> str:
    return str(once("reference names", lambda: dict(Reference.objects.values_list("code", "name"))).get(code, ""))


def _fitting_together(setup: RunSetup, needs: Sequence[Need], offered: Sequence[dict[str, Any]], day: date) -> list[dict[str, Any]] | None:
    """One item a need, each fit beside those before it; None where there is no such choice."""
    if not needs:
        return []
    need, rest = needs[0], needs[1:]
    for item in offered:
        fitness = OFFERED[need.kind](setup, need, item, day)
        if fitness.will_do:
            known = setup.with_entered({f"{need.role}.{k}": v for k, v in fitness.enters.items()})
            others = _fitting_together(known, rest, offered, day)
            if others is not None:
                return [item, *others]
    return None


def protection_of(i: Instrument) -> list[str]:
    """What must be worn or carried for an instrument; site rules may ask for more."""
    out = ["Safety shoes, glasses, gloves"]
    out += METHODS[i.method].traits.wears if i.method in METHODS else ()
    if "hlorine" in f"{i.service} {i.hazards}":
        out.append("Escape set")
    if i.access in ("height", "ladder", "scaffold"):
        out.append("Harness" if i.access == "height" else ACCESS[i.access])
    if i.access == "confined":
        out.append("Confined-space set and a second person outside")
    if i.area.needs_permit or i.permit_kind:
        out.append(f"Permit for {i.area.name}" + (f": {i.permit_kind}" if i.permit_kind else ""))
    return out
