"""Queries that are written once: a page asks the same dozen, and writing each costs more than answering it."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from itertools import count
from operator import itemgetter
from typing import Any, Generic, ParamSpec, TypeVar

from django.core.exceptions import EmptyResultSet
from django.db import connections
from django.db.backends.base.base import BaseDatabaseWrapper
from django.db.models import Model, QuerySet, prefetch_related_objects
from django.db.models.query import (
    FlatValuesListIterable,
    ModelIterable,
    ValuesIterable,
    ValuesListIterable,
    get_related_populators,
)
from django.db.models.sql.compiler import SQLCompiler

log = logging.getLogger("wryfalcon.prepared")

GivenT = ParamSpec("GivenT")
RowT = TypeVar("RowT")

STANDS_IN = 2**61
"""Whole numbers from here on, words that begin like ``WORD`` and moments of ``DAY`` stand in for what is given."""
DAY = datetime(1000, 1, 1, tzinfo=UTC)
MOST = 60
"""Given to one query: each number of them has SQL of its own."""
WORD = "\N{OBJECT REPLACEMENT CHARACTER}given "


def prepared(build: Callable[GivenT, QuerySet[Any, RowT]]) -> Prepared[GivenT, RowT]:
    """Make a function that builds a queryset one that answers its rows, whose SQL is written on the first call.

    It may be given rows, whole numbers, words, moments and tuples of these, none of which the function may look into:
    they are put where their stand-ins ended up in the SQL. Truths and None are looked into: each has its own SQL. What
    stands in a tuple twice is asked for once.

    >>> @prepared
    ... def cutters_called(name: str) -> QuerySet[Cutter]:
    ...     return Cutter.objects.filter(name=name)
    >>> cutters_called("Slotter"), cutters_called.first("Slotter")  # doctest: +SKIP
    ([<Cutter: Slotter>], <Cutter: Slotter>)
    """
    return Prepared(build)


@dataclass(frozen=True)
class Prepared(Generic[GivenT, RowT]):
    """A query of so many givens; see ``prepared``."""

    build: Callable[GivenT, QuerySet[Any, RowT]]
    written: dict[Any, _Written | None] = field(default_factory=dict)  # None where it cannot be

    def __call__(self, *given: GivenT.args, **_: GivenT.kwargs) -> list[RowT]:
        """Its rows."""
        return self._rows(given, only_first=False)

    def first(self, *given: GivenT.args, **_: GivenT.kwargs) -> RowT | None:
        """The first of its rows, None where there is none."""
        return next(iter(self._rows(given, only_first=True)), None)

    def _rows(self, given: Sequence[Any], *, only_first: bool) -> list[RowT]:
        given = tuple(tuple(dict.fromkeys(each)) if isinstance(each, tuple) else each for each in given)
        written = None
        if _can_stand_in(given):
            shape = (only_first, *map(_shape, given))
            if shape not in self.written:
                self.written[shape] = self._write(given, only_first=only_first)
            written = self.written[shape]
        return list(self._queryset(given, only_first=only_first)) if written is None else written.rows(given)

    def _write(self, given: Sequence[Any], *, only_first: bool) -> _Written | None:
        """Written with stand-ins, and held against what it is without them; asked as it stands where they differ."""
        numbers = count(STANDS_IN)
        made = _Written.of(self._queryset([_stand_in(each, numbers) for each in given], only_first=only_first))
        plain = self._queryset(given, only_first=only_first)
        sql, params = _sql_of(plain.query.get_compiler(using=plain.db))
        if (made.sql, made.filled(given)) == (sql, list(params)):
            return made
        log.error("%s looks into what it is given: it cannot be written ahead", self.build.__qualname__)
        return None

    def _queryset(self, given: Sequence[Any], *, only_first: bool) -> QuerySet[Any, RowT]:
        made = self.build(*given)  # type: ignore[call-arg]
        if not only_first:
            return made
        return (made if made.ordered else made.order_by("pk"))[:1]


@dataclass(frozen=True)
class _Place:
    """Where something given goes: its number among all that was given."""

    number: int


@dataclass(frozen=True)
class _Written:
    """SQL with what goes where in it, and how its rows become what the queryset would have answered."""

    database: str
    sql: str  # "" where nothing can be found
    params: Sequence[Any]  # a value of the query's own, or the place of something given
    converters: Sequence[tuple[int, Sequence[Callable[..., Any]], Any]]
    read: Callable[[list[Any]], Any]
    known: Mapping[str, int]  # a relation that leads to something given, and to which
    prefetched: Sequence[Any]

    @classmethod
    def of(cls, queryset: QuerySet[Any, Any]) -> _Written:
        """Of a queryset that was built from stand-ins."""
        compiler = queryset.query.get_compiler(using=queryset.db)
        sql, params = _sql_of(compiler)
        makes_rows = queryset._iterable_class is ModelIterable
        known = queryset._known_related_objects if makes_rows else {}  # type: ignore[attr-defined]
        return cls(
            queryset.db,
            sql,
            [_place(each) for each in params],
            _converters(compiler) if sql else (),
            _reader(queryset, compiler) if sql else list,
            {relation.name: _place(next(iter(rows))).number for relation, rows in known.items()},
            queryset._prefetch_related_lookups,  # type: ignore[attr-defined]
        )

    def rows(self, given: Sequence[Any]) -> list[Any]:
        """What is found for what is given."""
        if not self.sql:
            return []
        connection = connections[self.database]
        with connection.cursor() as cursor:
            cursor.execute(self.sql, self.filled(given))
            found = [self.read(self._converted(row, connection)) for row in cursor.fetchall()]
        every = _each(given) if self.known else ()
        for name, number in self.known.items():
            for row in found:
                setattr(row, name, every[number])
        if self.prefetched:
            prefetch_related_objects(found, *self.prefetched)
        return found

    def filled(self, given: Sequence[Any]) -> list[Any]:
        """The values of the SQL."""
        values = [self._value(each) for each in _each(given)]
        return [values[each.number] if isinstance(each, _Place) else each for each in self.params]

    def _value(self, given: Any) -> Any:
        if isinstance(given, Model):
            return given.pk
        return connections[self.database].ops.adapt_datetimefield_value(given) if isinstance(given, datetime) else given

    def _converted(self, row: Sequence[Any], connection: BaseDatabaseWrapper) -> list[Any]:
        values = list(row)
        for place, converters, expression in self.converters:
            for convert in converters:
                values[place] = convert(values[place], expression, connection)
        return values


def _sql_of(compiler: SQLCompiler) -> tuple[str, Sequence[Any]]:
    try:
        return compiler.as_sql()
    except EmptyResultSet:
        return "", ()


def _converters(compiler: SQLCompiler) -> list[tuple[int, Sequence[Callable[..., Any]], Any]]:
    found = compiler.get_converters([each[0] for each in compiler.select or ()])
    return [(place, each, expression) for place, (each, expression) in found.items()]


def _reader(queryset: QuerySet[Any, Any], compiler: SQLCompiler) -> Callable[[list[Any]], Any]:
    """What makes of a row what the queryset would: a row of a model with its relations, or its values."""
    iterable = queryset._iterable_class
    if iterable is ModelIterable:
        return _model_reader(queryset, compiler)
    if iterable is ValuesIterable:
        names = list(queryset.query.selected or ())
        return lambda row: dict(zip(names, row, strict=True))
    if iterable not in (ValuesListIterable, FlatValuesListIterable):
        raise TypeError("Only rows, and values in lists or by name, can be written ahead")
    return itemgetter(0) if iterable is FlatValuesListIterable else tuple


def _model_reader(queryset: QuerySet[Any, Any], compiler: SQLCompiler) -> Callable[[list[Any]], Model]:
    assert compiler.klass_info is not None
    assert compiler.select is not None
    model: type[Model] = compiler.klass_info["model"]
    columns = compiler.klass_info["select_fields"]
    first, last = columns[0], columns[-1] + 1
    names = [each[0].target.attname for each in compiler.select[first:last]]
    populators = get_related_populators(compiler.klass_info, compiler.select, queryset.db)  # type: ignore[call-arg]
    annotations = tuple((compiler.annotation_col_map or {}).items())

    def read(row: list[Any]) -> Model:
        made = model.from_db(queryset.db, names, row[first:last])
        for populator in populators:
            populator.populate(row, made)
        for name, place in annotations:
            setattr(made, name, row[place])
        return made

    return read


def _shape(given: Any) -> Any:
    """What the SQL depends on of something given."""
    if isinstance(given, tuple):
        return tuple(map(_shape, given))
    return given if given is None or isinstance(given, bool) else type(given)


def _can_stand_in(given: Sequence[Any]) -> bool:
    """Whether these are few, and none is a number or word that might be taken for a stand-in."""
    every = _each(given)
    return len(every) <= MOST and not any(
        not -STANDS_IN < each < STANDS_IN if isinstance(each, int) else isinstance(each, str) and each.startswith(WORD)
        for each in every
    )


def _stand_in(given: Any, numbers: Iterator[int]) -> Any:
    if given is None or isinstance(given, bool):
        return given
    if isinstance(given, tuple):
        return tuple(_stand_in(each, numbers) for each in given)
    number = next(numbers)
    if isinstance(given, Model):
        return type(given)(pk=number)
    if isinstance(given, int):
        return number
    if isinstance(given, str):
        return f"{WORD}{number}"
    if isinstance(given, datetime):
        return DAY + timedelta(seconds=number - STANDS_IN)
    raise TypeError(f"{type(given).__name__} cannot be given to a query that is written ahead")


def _each(given: Sequence[Any]) -> list[Any]:
    """All that was given and stands in the SQL, one after the other, tuples opened."""
    found: list[Any] = []
    for each in given:
        if isinstance(each, tuple):
            found += _each(each)
        elif each is not None and not isinstance(each, bool):
            found.append(each)
    return found


def _place(value: Any) -> Any:
    """The place that a stand-in stands for; any other value as it is."""
    if isinstance(value, str) and value.startswith(WORD):
        value = int(value[len(WORD) :])
    if isinstance(value, str) and value.startswith(f"{DAY:%Y-%m-%d}"):
        value = STANDS_IN + (datetime.fromisoformat(value).replace(tzinfo=UTC) - DAY).seconds
    is_stand_in = isinstance(value, int) and value >= STANDS_IN
    return _Place(value - STANDS_IN) if is_stand_in else value
