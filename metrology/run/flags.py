"""What must be flagged on the record."""

from __future__ import annotations

from datetime import timedelta

from metrology.judgement.decision import PASS
from metrology.judgement.reference import ratio_together
from metrology.methods.method import Method
from metrology.quantities.words import ratio, ratio_below
from metrology.run.results import proofs_in
from metrology.run.same_device import accepted_words
from metrology.run.standing_in import stand_in_words
from metrology.run.state import RunState

# compare steps that may end with a difference, when a reason says why
LEFT_WITH_REASON = {"configure": "What was sent stands as it is", "read_after": "The device is left as it is"}


def flags_of(state: RunState, method: Method) -> list[str]:
    """What nobody may overlook on the record: forced, refused, agreed to, doubted and confirmed, out of inhibit, not good enough together."""
    out = _together(state, method)
    if state.setup.supervisor:
        missing = " and ".join(state.setup.unqualified)
        out.append(f"{state.started_by_name} is not qualified for {missing}; {state.setup.supervisor} answers for the work.")
    for a in state.adjustments:
        if a.forced:
            second = f", with {a.forced['name']}" if a.forced.get("name") else ""
            proof = f" Gas proved first: {a.forced['gas_proof']}" if a.forced.get("gas_proof") else ""
            out.append(f"Forced: {a.screw} from {a.before} to {a.after} by {a.by}{second}. {a.forced['reason']}{proof}")
        elif a.outcome == "refused":
            said = f" It said: {a.said}." if a.said else ""
            out.append(f"The instrument refused {a.screw} at {a.before}; its old calibration stood.{said}")
    out += [accepted_words(d, state.setup.instrument.tag) for d in state.accepted_devices]
    for d in state.decisions.values():
        if d.stand_in:
            out.append(f"Left in service outside its limits. It stands in for it: {stand_in_words(d.stand_in)}.")
    for p in proofs_in(state):
        if p.found.is_dangerous:
            out.append(f"{p.point.code}, proof test as found: {p.found.says}. Required: {p.point.required}.")
        if p.left is not None and p.left.verdict != PASS:
            out.append(f"{p.point.code} is left so: {p.left.says}. {p.why}".strip())
    for hold in state.holds.values():
        if hold.agreement:
            out.append(f"On hold together with another of its group or zone, agreed: {hold.agreement}")
        if hold.approval:
            out.append(f"On hold for more than {state.setup.policy.hold_hours:g} h, approved: {hold.approval}")
        out += [f"Hold extended by {told}" for told in hold.extended]
    for done in state.confirmations.values():
        if done.step in LEFT_WITH_REASON and done.values.get("reason"):
            out.append(f"{LEFT_WITH_REASON[done.step]}, {done.by}: {done.values['reason']}")
    out += [_off_clock(by, count, off) for by, (count, off) in state.off_clock.items()]
    for r in state.readings:
        told = r.captured.get("indicated", {})
        out += [f"Reading {r.slot + 1}: {says}" for says in told.get("remarks", [])]
    return out


def _off_clock(by: str, count: int, off: timedelta) -> str:
    """Whose device had another time than the server, by more than a day; the order is that of the server."""
    events = f"{count} events" if count > 1 else "An event"
    return f"{events} of {by} came from a device whose clock was {abs(off).days} d {'ahead' if off > timedelta(0) else 'behind'}; times are the server's."


def _together(state: RunState, method: Method) -> list[str]:
    """References that are each good enough and are not together."""
    wanted = state.setup.policy.minimum_tur
    told = [(n.role, state.references.get(n.role) or {}) for n in method.standards.needs(state.setup) if not n.is_informative]
    turs = {str(r["reference"]["code"]): float(r["tur"]) for _, r in told if r.get("tur")}
    if len(turs) < 2 or min(turs.values()) < wanted:
        return []  # one by itself was told, and has its reason
    both = ratio_together(list(turs.values()))
    if both >= wanted:
        return []
    each = " and ".join(f"{ratio(t)} by {code}" for code, t in turs.items())
    return [
        f"The references together reach a TUR of {ratio_below(both, wanted)}, though each reaches more ({each}); {ratio(wanted)} is wanted."
    ]
