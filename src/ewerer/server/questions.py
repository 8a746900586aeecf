"""What every request asks of the database and each save writes: Django puts the SQL of it together once, not each time.

A question is said in the words of Django's models. SQLite answers the small ones in a tenth of the time that it takes to put
their SQL together; with many people at work, that was most of what a save cost.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import cache
from typing import Any, Generic, TypeVar

from django.db import connection
from django.db.models import Field, Model, QuerySet
from django.db.models.query import ModelIterable, get_related_populators

R = TypeVar("R")

STANDS_FOR: dict[type, Callable[[int], Any]] = {
    int: lambda n: 1_900_000_000 + n,
    str: lambda n: f"stands for value {n}",
    uuid.UUID: lambda n: uuid.UUID(int=2**127 + n),
    datetime: lambda n: datetime(2999, 1, 1 + n, tzinfo=UTC),
}
"""Values that stand for those of a question while its SQL is put together."""


def _told(value: Any) -> Any:
    """Return a value as the database is told it."""
    if isinstance(value, uuid.UUID):
        return value.hex
    return connection.ops.adapt_datetimefield_value(value) if isinstance(value, datetime) else value


@dataclass(frozen=True, slots=True)
class _Made:
    sql: str
    params: tuple[tuple[int | None, Any], ...]
    """Each with the number of the value that it is, else the constant itself."""
    compiler: Any
    converters: Any
    model: tuple[Any, slice, list[str], Any] | None
    """Where whole models are asked for: which, their columns and the names of these, and what fills in the rows beside them."""


class Question(Generic[R]):
    """A question with values to come, of the types ``kinds``: int, str, UUID or datetime.

    ``make`` takes them and returns the queryset: whole models, those that ``select_related`` names among them, or ``values_list``.
    """

    def __init__(self, make: Callable[..., QuerySet[Any, R]], *kinds: type) -> None:
        self._make, self._kinds = make, kinds
        self._made: _Made | None = None

    def _put_together(self) -> _Made:
        stand = [STANDS_FOR[k](n) for n, k in enumerate(self._kinds)]
        numbers = {_told(v): n for n, v in enumerate(stand)}
        asked = self._make(*stand)
        compiler = asked.query.get_compiler(connection=connection)
        sql, params = compiler.as_sql()
        placed = tuple((numbers.get(p) if isinstance(p, int | str) else None, p) for p in params)
        assert {n for n, _ in placed} >= set(numbers.values()), sql
        converters = compiler.get_converters([column[0] for column in compiler.select])
        model = None
        if issubclass(asked._iterable_class, ModelIterable):
            klass = compiler.klass_info
            its = slice(klass["select_fields"][0], klass["select_fields"][-1] + 1)
            names = [column[0].target.attname for column in compiler.select[its]]
            beside = get_related_populators(klass, compiler.select, connection.alias)  # type: ignore[call-arg]
            model = klass["model"], its, names, beside
        return _Made(sql, placed, compiler, converters, model)

    def __call__(self, *values: Any) -> list[R]:
        """Return the answer as the queryset of these values would give it."""
        made = self._made
        if made is None:
            made = self._made = self._put_together()
        with connection.cursor() as cursor:
            cursor.execute(made.sql, [p if n is None else _told(values[n]) for n, p in made.params])
            rows: Sequence[Any] = cursor.fetchall()
        if made.converters:
            rows = list(made.compiler.apply_converters(rows, made.converters))
        if made.model is None:
            return [tuple(row) for row in rows]  # type: ignore[misc]
        model, its, names, beside = made.model
        found = []
        for row in rows:
            one = model.from_db(connection.alias, names, row[its])
            for populator in beside:
                populator.populate(row, one)
            found.append(one)
        return found

    def first(self, *values: Any) -> R | None:
        """Return the first of the answer, None where there is none."""
        return next(iter(self(*values)), None)


@cache
def _columns(model: type[Model]) -> tuple[list[Field[Any, Any]], list[Field[Any, Any]]]:
    """Return the columns that are written of a new row, and those of one that is there."""
    every = list(model._meta.concrete_fields)
    return [f for f in every if f is not model._meta.auto_field], [f for f in every if not f.primary_key]


@cache
def _sql(model: type[Model], new: bool) -> str:
    columns = [f'"{f.column}"' for f in _columns(model)[0 if new else 1]]
    table, key = model._meta.db_table, model._meta.pk
    if new:
        return f'INSERT INTO "{table}" ({", ".join(columns)}) VALUES ({", ".join(["%s"] * len(columns))})'  # noqa: S608
    assert key is not None
    return f'UPDATE "{table}" SET {", ".join(f"{c} = %s" for c in columns)} WHERE "{key.column}" = %s'  # noqa: S608


def write(row: Model) -> None:
    """Write all of a row, new or not, as its ``save`` does; a model with signals or parents is not for this."""
    new = row._state.adding
    with connection.cursor() as cursor:
        told = [f.get_db_prep_save(f.pre_save(row, new), connection) for f in _columns(type(row))[0 if new else 1]]
        if not new:
            key = row._meta.pk
            assert key is not None
            told.append(key.get_db_prep_save(row.pk, connection))
        cursor.execute(_sql(type(row), new), told)
        if not new and cursor.rowcount != 1:
            raise type(row).DoesNotExist  # type: ignore[attr-defined]
        if new and row.pk is None:
            row.pk = cursor.lastrowid
    row._state.adding, row._state.db = False, connection.alias
