"""Queries that are written once and asked many times: the ORM takes ten times as long to write the SQL of a row as the database to find it.

What is asked at every key of a technician goes this way (who signed in, the run, the end of the journal). The SQL is the ORM's own, with places
for what changes; rows come back as the ORM makes them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Generic, TypeVar

from django.db import connections
from django.db.models import Field, Model, QuerySet, Value

M = TypeVar("M", bound=Model)
R = TypeVar("R")
# What the ORM's compiler works out while it writes, and needs again to read the rows.
WORKED_OUT = ("select", "klass_info", "annotation_col_map", "col_count", "has_extra_select")


class Slot(Value):
    """The place of a value that is given when the query is asked; field: what kind of value, for its form in the database."""

    def __init__(self, place: int, field: Field[Any, Any]) -> None:
        super().__init__(None, output_field=field)
        self.place = place

    def as_sql(self, compiler: Any, connection: Any) -> tuple[str, Any]:
        """A placeholder whose value is the place itself, until it is filled."""
        return "%s", [self]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Slot) and other.place == self.place

    def __hash__(self) -> int:
        return hash(self.place)


class Prepared(Generic[M, R]):
    """A query made by `make` from the places for `fields`, in their order."""

    def __init__(self, make: Callable[..., QuerySet[M, R]], *fields: Field[Any, Any]) -> None:
        self._make = make
        self._slots = [Slot(n, f) for n, f in enumerate(fields)]
        self._written: dict[str, tuple[QuerySet[M, R], Any, Any, str, Sequence[Any]]] = {}

    def all(self, *values: Any, using: str = "default") -> list[R]:
        """The rows for these values, read now."""
        base, written, converters, sql, places = self._written.get(using) or self._write(using)
        connection = connections[using]
        params = [p.output_field.get_db_prep_value(values[p.place], connection, False) if isinstance(p, Slot) else p for p in places]
        asking = base.query.get_compiler(using)
        for name in WORKED_OUT:
            setattr(asking, name, getattr(written, name))
        asking.as_sql = lambda *_, **__: (sql, tuple(params))
        asking.get_converters = lambda *_: converters
        rows = base._chain()  # type: ignore[attr-defined]
        rows.query.get_compiler = lambda *_, **__: asking
        return list(rows)

    def first(self, *values: Any, using: str = "default") -> R | None:
        """The first row; None where there is none. The query itself says how many it asks for."""
        return next(iter(self.all(*values, using=using)), None)

    def _write(self, using: str) -> tuple[QuerySet[M, R], Any, Any, str, Sequence[Any]]:
        base = self._make(*self._slots).using(using)
        compiler = base.query.get_compiler(using)
        sql, places = compiler.as_sql()
        converters = compiler.get_converters([column for column, _, _ in compiler.select[: compiler.col_count]])
        self._written[using] = (base, compiler, converters, sql, places)
        return self._written[using]
