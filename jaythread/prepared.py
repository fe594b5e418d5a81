"""Questions that are asked at nearly every request, put into SQL once: Django takes longer over that than the database over the answer."""

from collections.abc import Callable
from typing import Any, Generic, NamedTuple, TypeVar

from django.db import connection
from django.db.models import Model, QuerySet
from django.db.models.query import get_related_populators

M = TypeVar("M", bound=Model)


def set_revision(model: type[Model], ids: list[Any], revision: int) -> None:
    """Raise rows to a revision, by their ids."""
    with connection.cursor() as cursor:
        cursor.execute(f'UPDATE "{model._meta.db_table}" SET "revision" = %s WHERE "id" = ANY(%s)', [revision, ids])


class _Made(NamedTuple):
    """sql, and for each of its parameters which of the values it is (or None: what else it is). first, end: the columns that are the
    model's; related: what fills in the rows beside it; beside: by name, the columns of what was annotated."""

    sql: str
    which: list[tuple[int | None, Any]]
    converters: Any
    model: type[Model]
    names: list[str]
    first: int
    end: int
    related: list[Any]
    beside: dict[str, int]


class Prepared(Generic[M]):
    """A query of rows of one model, with what is joined to them by `select_related` and what is annotated.

    make: the query for some values. examples: such values, each unlike all others and of the type that the column has; where they stand in
    the query, those of a call will stand. A query that looks different for other values is none for this.
    """

    def __init__(self, make: Callable[..., QuerySet[M]], *examples: Any) -> None:
        self.make, self.examples = make, examples
        self._made: _Made | None = None

    def __call__(self, *values: Any) -> list[M]:
        """The rows for some values, read from the database now."""
        made = self._made = self._made or self._prepared()
        said = [other if at is None else _like(other, values[at]) for at, other in made.which]
        with connection.cursor() as cursor:
            cursor.execute(made.sql, said)
            rows = cursor.fetchall()
        return [_row(made, list(row)) for row in rows]

    def first(self, *values: Any) -> M | None:
        """The first of them, or None."""
        return next(iter(self(*values)), None)

    def _prepared(self) -> _Made:
        compiler = self.make(*self.examples).query.get_compiler(connection=connection)
        sql, params = compiler.as_sql()
        which = [(next((k for k, value in enumerate(self.examples) if value == one), None), one) for one in params]
        assert {at for at, _ in which if at is not None} == set(range(len(self.examples))), "every value stands in the query"
        info = compiler.klass_info
        first, end = info["select_fields"][0], info["select_fields"][-1] + 1
        return _Made(
            sql=sql, which=which, converters=compiler.get_converters([one[0] for one in compiler.select]), model=info["model"],
            names=[one[0].target.attname for one in compiler.select[first:end]], first=first, end=end,
            related=get_related_populators(info, compiler.select, connection.alias),  # type: ignore[call-arg]  # of a later Django
            beside=compiler.annotation_col_map or {},
        )  # fmt: skip


def _row(made: _Made, row: list[Any]) -> Any:
    for at, (converters, column) in made.converters.items():
        for converter in converters:
            row[at] = converter(row[at], column, connection)
    it = made.model.from_db(connection.alias, made.names, row[made.first : made.end])
    for one in made.related:
        one.populate(row, it)
    for name, at in made.beside.items():
        setattr(it, name, row[at])
    return it


def _like(example: Any, value: Any) -> Any:
    """A value as the database is told it, which says how wide a number is."""
    kind = type(example)
    return kind(value) if isinstance(example, int) and kind is not type(value) else value
