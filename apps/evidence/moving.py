"""Everything of a plant's database into another one, of whichever engine: rows as they are, then the same journal looked at on both sides."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

from django.apps import apps
from django.core.exceptions import ImproperlyConfigured
from django.core.management.color import no_style
from django.db import DatabaseError, connections, models, transaction
from django.db.migrations.recorder import MigrationRecorder

from apps.journal.models import Entry
from config.settings.kept import engine
from metrology.faults import Fault

OTHER = "other"
PART = 1_000
# What is of one server and not of the plant: who is signed in, and wrong passwords of the last minutes.
LEFT = frozenset(("sessions.Session", "axes.AccessAttempt", "axes.AccessLog", "axes.AccessFailureLog", "axes.AccessAttemptExpiration"))


@contextmanager
def beside(address: str) -> Iterator[str]:
    """Another database under a name, as long as it is needed. Raises a Fault where nobody answers at that address."""
    try:
        try:
            connections.settings[OTHER] = connections.configure_settings({"default": engine(address)})["default"]
            connections[OTHER].ensure_connection()
        except (DatabaseError, ImproperlyConfigured, KeyError, ValueError) as error:
            raise Fault("no_database", f"That database can't be used: {str(error).splitlines()[0][:300]}") from None
        yield OTHER
    finally:
        _forget()


def _forget() -> None:
    if connections.settings.pop(OTHER, None) is not None and hasattr(connections._connections, OTHER):  # type: ignore[attr-defined]
        connections[OTHER].close()
        del connections[OTHER]


def _managed() -> list[type[models.Model]]:
    return [m for m in apps.get_models(include_auto_created=True) if m._meta.managed and not m._meta.proxy]


def tables() -> list[type[models.Model]]:
    """Every table of the plant, those between two others too."""
    return [m for m in _managed() if m._meta.label not in LEFT]


def _make_tables(source: str, target: str) -> None:
    """Tables as the migrations of the first database have left them, and the same migrations told as done."""
    with connections[target].schema_editor() as editor:
        for table in _managed():
            if not table._meta.auto_created:  # made with the tables it stands between
                editor.create_model(table)
    told = MigrationRecorder(connections[target])
    told.ensure_schema()
    for app, name in MigrationRecorder(connections[source]).applied_migrations():
        told.record_applied(app, name)


def copy_all(source: str, target: str, tell: Callable[[str], None] = lambda _: None) -> dict[str, int]:
    """Copy every row from one database into another that is empty, at one moment of the first and in one transaction of the second.

    How many rows of each table. Raises a Fault where the second one is not empty, or refuses.
    """
    if connections[target].introspection.table_names():
        raise Fault("not_empty", "There is something in that database already. Nothing was written there; name an empty one.")
    try:
        return _copied(source, target, tell)
    except DatabaseError as error:
        why = str(error).splitlines()[0][:300]
        raise Fault(
            "not_copied", f"It could not be written there whole: {why}. Nothing was changed here; begin anew with an empty database."
        ) from error


def _copied(source: str, target: str, tell: Callable[[str], None]) -> dict[str, int]:
    counts = {}
    _make_tables(source, target)
    is_free = not connections[source].in_atomic_block
    with transaction.atomic(using=source), transaction.atomic(using=target):
        if is_free:  # otherwise it is of the moment of whatever goes on
            _hold_still(source)
        for table in tables():
            counts[table._meta.label] = _copy(table, source, target)
            tell(f"{counts[table._meta.label]:>9} rows of {table._meta.db_table}")
        with connections[target].cursor() as cursor:
            for statement in connections[target].ops.sequence_reset_sql(no_style(), tables()):
                cursor.execute(statement)
    return counts


def _hold_still(alias: str) -> None:
    """What is read from now on is of one moment, whoever writes meanwhile."""
    if connections[alias].vendor == "postgresql":
        with connections[alias].cursor() as cursor:
            cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")


def _copy(table: type[models.Model], source: str, target: str) -> int:
    names = [f.attname for f in table._meta.concrete_fields]
    many, part = 0, []
    for row in table._base_manager.using(source).order_by("pk").values_list(*names).iterator(PART):
        part.append(table(**dict(zip(names, row, strict=True))))
        if len(part) == PART:
            many += _write(table, target, part)
            part = []
    return many + _write(table, target, part)


def _write(table: type[models.Model], target: str, part: list[models.Model]) -> int:
    table._base_manager.using(target).bulk_create(part)
    return len(part)


def differing(source: str, target: str, counts: dict[str, int]) -> list[str]:
    """What is not the same on both sides, in sentences: how many rows there are, and the end of the journal."""
    out = []
    for table in tables():
        there = table._base_manager.using(target).count()
        if there != counts[table._meta.label]:
            out.append(f"Of {table._meta.db_table} there were {counts[table._meta.label]}, and there are {there}.")
    ends = [Entry.objects.using(alias).order_by("-seq").values_list("seq", "link").first() for alias in (source, target)]
    if ends[0] != ends[1]:
        out.append(f"The journal ended at entry {_end(ends[0])}, and there at {_end(ends[1])}.")
    return out


def _end(end: tuple[int, str] | None) -> str:
    """The end of a journal as it is told."""
    return f"{end[0]} ({end[1][:12]}…)" if end else "none"


@contextmanager
def instead(alias: str) -> Iterator[None]:
    """The other database in the place of this one, for whatever asks for no database by name; in this thread alone."""
    held = connections["default"]
    connections["default"] = connections[alias]
    try:
        yield
    finally:
        connections["default"] = held
