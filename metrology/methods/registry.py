"""The methods there are, found in the catalogue: one module a method, each with its METHOD."""

from __future__ import annotations

import importlib
import pkgutil

from metrology.faults import Fault
from metrology.methods import catalogue
from metrology.methods.method import Method
from metrology.methods.settings import SettingField, Settings, setting_fields
from metrology.methods.setup import INSTRUMENT


def _find() -> dict[str, Method]:
    found: dict[str, Method] = {}
    for module in pkgutil.iter_modules(catalogue.__path__):
        made = getattr(importlib.import_module(f"{catalogue.__name__}.{module.name}"), "METHOD", None)
        if isinstance(made, Method):
            found[made.key] = made
    return dict(sorted(found.items(), key=lambda row: (FAMILY_ORDER.get(row[1].traits.family, 9), row[1].title)))


FAMILIES = {
    "transmitter": "Transmitter",
    "temperature sensor": "Temperature sensor",
    "gas detector": "Gas detector",
    "analyzer": "Analyzer",
    "flow meter": "Flow meter",
    "weighing": "Weighing",
}
FAMILY_ORDER = {family: n for n, family in enumerate(FAMILIES)}
METHODS: dict[str, Method] = _find()

# What instruments can be run by, by name.
CATALOGUE: dict[str, str] = {k: m.title for k, m in METHODS.items() if m.traits.subject == INSTRUMENT}
FAMILY_OF: dict[str, str] = {k: m.traits.family for k, m in METHODS.items()}


def usual_method(family: str) -> str:
    """The method an instrument of a family has where nothing else is said."""
    mine = [k for k in CATALOGUE if FAMILY_OF[k] == family]
    return next((k for k in mine if METHODS[k].traits.is_usual), mine[0] if mine else next(iter(CATALOGUE)))


def get_method(key: str) -> Method:
    """The method of that key; a Fault when it is not known."""
    if key in METHODS:
        return METHODS[key]
    raise Fault("unknown_method", f"There is no method '{key}'.", field="method")


def settings_of(key: str) -> type[Settings]:
    """The settings of a method; nothing for one that is not here."""
    return METHODS[key].settings if key in METHODS else Settings


def methods_of(subject: str) -> list[Method]:
    """The methods for one kind of subject."""
    return [m for m in METHODS.values() if m.traits.subject == subject]


def batch_methods() -> list[str]:
    """The methods of which several may be captured together over shared stimuli, by key."""
    return [key for key, method in METHODS.items() if method.traits.in_batches]


def all_settings(subject: str = "") -> dict[str, tuple[SettingField, tuple[str, ...]]]:
    """Every setting that any method asks (of one kind of subject, where given), by name, with the methods that ask it.

    One name is asked in one way.
    """
    out: dict[str, tuple[SettingField, tuple[str, ...]]] = {}
    for key, method in METHODS.items():
        if subject and method.traits.subject != subject:
            continue
        for f in setting_fields(method.settings):
            known = out.get(f.name)
            out[f.name] = (known[0] if known else f, (*(known[1] if known else ()), key))
    return out


def register(method: Method) -> None:
    """Take in a method from elsewhere, as tests do."""
    METHODS[method.key] = method
    CATALOGUE[method.key] = method.title
    FAMILY_OF[method.key] = method.traits.family


def forget(key: str) -> None:
    """Let a method go that was taken in."""
    METHODS.pop(key, None)
    CATALOGUE.pop(key, None)
    FAMILY_OF.pop(key, None)
