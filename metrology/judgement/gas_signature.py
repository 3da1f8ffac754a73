"""Error signatures of gas detectors: what an as-found set of exposures says of detector, gas and setting."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from metrology.judgement.signature import Signature
from metrology.judgement.suspicion import Peer, judge_bottle

SLOW = 1.6  # times the T90 of a healthy sensor


@dataclass(frozen=True)
class ChannelSeen:
    """What was seen of one channel. zero and span are errors in % of its range, tolerance too; ratio: read over applied."""

    name: str
    technology: str
    tolerance: float
    zero: float | None = None
    span: float | None = None
    ratio: float | None = None
    t90_s: float | None = None
    healthy_t90_s: float = 30.0
    balance_oxygen: float | None = None
    peers: tuple[Peer, ...] = ()  # itself among them, as it was last time
    tag: str = ""
    u: float = 0.03  # of the ratio, relative, k = 2
    u_bottle: float = 0.0
    setting_ratio: float | None = None  # stored reference voltage over what the bottle needs
    response: str = ""


def find_gas_signatures(seen: Sequence[ChannelSeen]) -> tuple[Signature, ...]:
    """The signatures of every channel, the surest first."""
    out = [s for c in seen for s in _of_channel(c)]
    return tuple(sorted(out, key=lambda s: -s.confidence))


def _with_itself(c: ChannelSeen) -> list[Peer]:
    """The detectors on the bottle, this one with what it reads now."""
    was_set = any(p.was_set_on_it for p in c.peers if p.tag == c.tag)
    return [*(p for p in c.peers if p.tag != c.tag), Peer(c.tag, c.ratio or 0.0, c.u, was_set)]


def _of_channel(c: ChannelSeen) -> list[Signature]:
    name = f"Channel {c.name}: " if c.name else ""
    out: list[Signature] = []

    def tell(code: str, says: str, action: str, confidence: float, *evidence: str) -> None:
        out.append(Signature(code, f"{name}{says}", action, confidence, tuple(evidence)))

    low = c.ratio is not None and c.span is not None and c.ratio < 1 and abs(c.span) > c.tolerance
    share = f"It reads {100 * (c.ratio or 0):.0f} % of what was applied."
    if c.response == "no response":
        tell(
            "no-response", "It does not answer to gas.", "Prove bottle, valve, line and adapter first; then filter and sensor.", 0.95, share
        )
        return out
    bottle = judge_bottle(_with_itself(c), u_bottle=c.u_bottle) if low and c.peers else ""
    if bottle and c.tag in bottle:
        tell(
            "same-bottle",
            f"The bottle is wrong, not the detector: {bottle}",
            "Change bottle or regulator before touching gains.",
            0.9,
            share,
        )
    if low and c.technology == "catalytic" and c.balance_oxygen is not None and c.balance_oxygen < 10:
        why = f"The balance holds {c.balance_oxygen:g} % vol oxygen."
        tell(
            "wrong-balance", "A catalytic sensor low on a balance without oxygen.", "Change to a bottle balanced with air.", 0.9, why, share
        )
    if c.setting_ratio is not None and c.ratio and abs(c.setting_ratio - 1) > 0.05 and abs(c.setting_ratio / c.ratio - 1) < 0.08:
        why = f"The stored reference voltage is {100 * c.setting_ratio:.0f} % of what this bottle needs."
        tell(
            "wrong-setting",
            "It was set for another bottle.",
            "Set the reference voltage for the bottle at hand, then look again.",
            0.9,
            why,
            share,
        )
    slow = c.t90_s is not None and c.t90_s > SLOW * c.healthy_t90_s
    if low and slow:
        why = f"T90 {c.t90_s:.0f} s against {c.healthy_t90_s:g} s."
        tell(
            "worn",
            "Low and slow: filter blocked, or the sensor is worn or poisoned.",
            "Clean or change the filter; then replace.",
            0.85,
            share,
            why,
        )
    elif slow:
        tell(
            "slow",
            "Slow, with its gain still right: the filter is getting blocked.",
            "Clean or change the filter.",
            0.7,
            f"T90 {c.t90_s:.0f} s.",
        )
    if c.zero is not None and c.zero < -c.tolerance / 2 and c.zero < -1:
        why = f"{c.zero:+.1f} % of range at zero."
        tell("negative-zero", "Below zero: the last zero was taken in dirty air.", "Zero again with bottled gas.", 0.8, why)
    if not out and c.zero is not None and c.span is not None:
        if abs(c.zero) > c.tolerance / 2 and abs(c.zero - c.span) < c.tolerance / 2:
            tell(
                "zero-shift",
                "The same error at zero and span: zero shift.",
                "Zero it; look for background or drift.",
                0.8,
                f"{c.zero:+.1f} %",
            )
        elif abs(c.span) > c.tolerance and abs(c.zero) <= c.tolerance / 2:
            if c.technology == "oxygen":
                tell(
                    "span-error",
                    "Off in clean air: its cell has moved or aged.",
                    "See that the air is clean, then set it in air.",
                    0.75,
                    share,
                )
                return out
            tell("span-error", "Zero is right, span is off: its gain has moved.", "Prove the gas, then set the span.", 0.75, share)
    return out
