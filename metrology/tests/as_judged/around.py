"""Cases around one: each figure, word and row of what is judged, changed by itself."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator, Mapping
from typing import Any

from metrology.faults import Fault

FACTORS = (0.0, 0.5, 0.93, 1.07, 2.0, -1.0)
FEW = (0.93, 2.0)
Case = tuple[str, Any]


def around(given: Any, factors: tuple[float, ...] = FACTORS) -> Iterator[Case]:
    """The case itself, then every other: (what was changed, the case)."""
    yield "as it is", given
    yield from _changed(given, factors)


def _changed(x: Any, factors: tuple[float, ...]) -> Iterator[Case]:
    if isinstance(x, bool):
        yield "not", not x
    elif isinstance(x, int | float):
        for f in factors:
            yield f"x{f:g}", type(x)(x * f) if x else type(x)(f)
    elif isinstance(x, str):
        if x:
            yield "empty", ""
    elif dataclasses.is_dataclass(x) and not isinstance(x, type):
        yield from _fields(x, factors)
    elif isinstance(x, Mapping):
        for key, value in x.items():
            yield f"no {key}", {k: v for k, v in x.items() if k != key}
            for how, other in _changed(value, factors):
                yield f"{key} {how}", {**x, key: other}
    elif isinstance(x, tuple):
        yield from _rows(x)


def _fields(x: Any, factors: tuple[float, ...]) -> Iterator[Case]:
    for f in dataclasses.fields(x):
        value = getattr(x, f.name)
        if not f.init:
            continue
        if value is not None and "None" in str(f.type):
            yield f"no {f.name}", _with(x, f.name, None)
        for how, other in _changed(value, factors):
            yield f"{f.name} {how}", _with(x, f.name, other)


def _with(x: Any, name: str, value: Any) -> Any:
    """A copy that is checked only when it is judged: one that can't be made is a case too."""
    return lambda: dataclasses.replace(x() if callable(x) else x, **{name: value() if callable(value) else value})


def _rows(x: tuple[Any, ...]) -> Iterator[Case]:
    if not x:
        return
    yield "without the last", x[:-1]
    yield "without the first", x[1:]
    yield "back to front", tuple(reversed(x))
    yield "none", ()
    for n in sorted({0, len(x) // 2, len(x) - 1}):
        for how, other in _changed(x[n], FEW):
            yield f"{n} {how}", _placed(x, n, other)


def _placed(x: tuple[Any, ...], n: int, other: Any) -> Any:
    return lambda: (*x[:n], other() if callable(other) else other, *x[n + 1 :])


def made(case: Any) -> Any:
    """The case itself, put together now."""
    if isinstance(case, dict):
        return {k: made(v) for k, v in case.items()}
    return case() if callable(case) else case


def told(x: Any) -> str:
    """A result as text: all of its fields, numbers to six figures."""
    if dataclasses.is_dataclass(x) and not isinstance(x, type):
        return "(" + " ".join(f"{f.name}={told(getattr(x, f.name))}" for f in dataclasses.fields(x)) + ")"
    if isinstance(x, Fault):
        return f"Fault {x.code} of {x.field}: {x.message} {told(x.context)}"
    if isinstance(x, bool) or x is None or isinstance(x, str):
        return str(x)
    if isinstance(x, int | float):
        return f"{x + 0.0:.6g}"  # and no minus before nothing
    if isinstance(x, Mapping):
        return "{" + " ".join(f"{k}: {told(v)}" for k, v in x.items()) + "}"
    if isinstance(x, list | tuple):
        return "[" + ", ".join(told(v) for v in x) + "]"
    return str(x)
