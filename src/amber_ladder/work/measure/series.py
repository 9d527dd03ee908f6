"""Series: named measures that are taken on every specimen of a kind, and what they come to over all of them."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import Field, StringConstraints, field_validator

from amber_ladder.core.measuring import KINDS, summarise
from amber_ladder.formats.exports import csv_table
from amber_ladder.formats.measures_json import KindName
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import measures, tasks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.models import Measure, Product, Specimen, Stack
from amber_ladder.work.journal import changing
from amber_ladder.work.measure.instruments import finished
from amber_ladder.work.measure.values import Value, value_of
from amber_ladder.work.stack.counted import counted_merge


class SeriesItem(Strict):
    """One measure of a series: how it is called, and its kind."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
    kind: KindName


class SeriesEntry(Strict):
    """A series, in the order in which it is picked; without items there is none."""

    items: Annotated[list[SeriesItem], Field(max_length=60)]

    @field_validator("items")
    @classmethod
    def _told_apart(cls, items: list[SeriesItem]) -> list[SeriesItem]:
        names = [one.name for one in items]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f"two measures are called {twice}: a series tells its measures apart by their names")
        return items


@dataclass(frozen=True, slots=True)
class LastView:
    """Where a measure was taken last on another merge, and of which specimen."""

    measure_id: int
    catalogue_number: str
    merge_id: int


@dataclass(frozen=True, slots=True)
class SeriesItemView:
    """One measure of a series. ``taken`` is the number of the measure on this merge, None while it is to be taken."""

    name: str
    kind: str
    taken: int | None
    last: LastView | None


@dataclass(frozen=True, slots=True)
class SeriesView:
    """The series of a merge's kind of specimen."""

    specimen_kind: str
    items: list[SeriesItemView]


@dataclass(frozen=True, slots=True)
class ColumnView:
    """What one measure of a series comes to over all specimens.

    ``mean`` and ``s`` are over ``n`` values. ``outliers_told`` is False where there are too few to tell any.
    """

    name: str
    kind: str
    unit: str
    n: int
    mean: float | None
    s: float | None
    outliers_told: bool


@dataclass(frozen=True, slots=True)
class CellView:
    """A measure of one stack; ``outlier`` where it stands apart from the others. ``value`` is None where unknown."""

    measure_id: int
    value: float | None
    expanded: float | None
    outlier: bool


@dataclass(frozen=True, slots=True)
class RowView:
    """The measures of a series on one stack, None where one was not taken."""

    stack_id: int
    catalogue_number: str
    specimen: str
    stack: int
    cells: list[CellView | None]


@dataclass(frozen=True, slots=True)
class SeriesTableView:
    """A series over all stacks on which any of it was taken."""

    specimen_kind: str
    columns: list[ColumnView]
    rows: list[RowView]


def series_of(merge_id: int) -> SeriesView:
    """The series of a merge's kind of specimen, and where each was taken last. Raises NotFound."""
    with transaction(steady=True) as session:
        merge = finished(session, merge_id)
        kind = _kind_of(merge)
        items = measures.series(session, kind).items
        taken = measures.of_kind(session, kind, [one["name"] for one in items])
        return SeriesView(kind, [_item(one, merge, taken) for one in items])


def set_series(merge_id: int, entry: SeriesEntry) -> SeriesView:
    """Let a merge's kind of specimen have this series. Raises NotFound."""
    with transaction() as session:
        kind = _kind_of(finished(session, merge_id))
        series = measures.series(session, kind, locked=True)
        with changing(session, f"series of measures for {kind} set", series):
            series.items = [one.model_dump() for one in entry.items]
        tasks.tell(session, "measure", {"merge_id": merge_id})
    return series_of(merge_id)


def series_table(merge_id: int) -> SeriesTableView:
    """What the series of a merge's kind comes to, over all stacks. Raises NotFound."""
    with transaction(steady=True) as session:
        return _table(session, _kind_of(finished(session, merge_id)))


def series_csv(merge_id: int) -> tuple[str, str]:
    """The same as a table to keep, with mean, spread and n below, and the file's name. Raises NotFound."""
    table = series_table(merge_id)
    head = ["catalogue number", "specimen", "stack"]
    for one in table.columns:
        unit = f", {one.unit}" if one.unit else ""
        head += [f"{one.name}{unit}", f"U of {one.name}{unit}", f"{one.name} stands apart"]
    rows = [
        [row.catalogue_number, row.specimen, row.stack,
         *(figure for cell, column in zip(row.cells, table.columns, strict=True) for figure in _figures(cell, column))]
        for row in table.rows
    ]  # fmt: skip
    rows += [
        [name, "", "", *(x for one in table.columns for x in (_or_empty(getattr(one, name)), "", ""))]
        for name in ("mean", "s", "n")
    ]
    safe = "".join(c if c.isascii() and c.isalnum() else "-" for c in table.specimen_kind)
    return csv_table(head, rows), f"series_{safe}.csv"


def _figures(cell: CellView | None, column: ColumnView) -> list[object]:
    if cell is None:
        return ["", "", ""]
    apart = ("yes" if cell.outlier else "no") if column.outliers_told else "too few to tell"
    return ["not known" if cell.value is None else cell.value, _or_empty(cell.expanded), apart]


def _or_empty(value: object) -> object:
    return "" if value is None else value


def _kind_of(merge: Product) -> str:
    specimen: Specimen = merge.take.stack.specimen
    return specimen.kind


def _item(item: dict[str, Any], merge: Product, taken: Sequence[Measure]) -> SeriesItemView:
    fitting = [one for one in taken if (one.name, one.kind) == (item["name"], item["kind"])]
    here = next((one.id for one in fitting if one.merge_id == merge.id), None)
    before = next((one for one in reversed(fitting) if one.merge_id != merge.id), None)
    number = None if before is None else before.take.stack.specimen.catalogue_number
    last = LastView(before.id, str(number), before.merge_id) if before else None
    return SeriesItemView(item["name"], item["kind"], here, last)


def _table(session: Session, kind: str) -> SeriesTableView:
    items = [(one["name"], one["kind"]) for one in measures.series(session, kind).items]
    taken = measures.of_kind(session, kind, [name for name, _ in items])
    stacks = {one.take.stack.id: one.take.stack for one in taken if (one.name, one.kind) in items}
    found = {key: [_of(stack, item, taken) for item in items] for key, stack in stacks.items()}
    values = {one.id: value_of(one) for row in found.values() for one in row if one is not None}
    columns, apart = [], set[int]()
    for i, (name, what) in enumerate(items):
        column = [one for row in found.values() if (one := row[i]) is not None]
        known = [(one.id, values[one.id].value, values[one.id].expanded or 0.0) for one in column]
        sure = [(number, value, u) for number, value, u in known if value is not None]
        told = summarise([value for _, value, _ in sure], [u for _, _, u in sure])
        apart |= {sure[i][0] for i in told.outliers or ()}
        unit = KINDS[what].unit
        columns.append(ColumnView(name, what, unit, told.n, told.mean, told.s, told.outliers is not None))
    rows = [
        RowView(
            stack.id, stack.specimen.catalogue_number, stack.specimen.name, stack.number,
            [None if one is None else _cell(one, values[one.id], one.id in apart) for one in found[key]],
        )
        for key, stack in sorted(stacks.items(), key=lambda one: one[1].specimen.catalogue_number)
    ]  # fmt: skip
    return SeriesTableView(kind, columns, rows)


def _cell(one: Measure, told: Value, outlier: bool) -> CellView:
    return CellView(one.id, told.value, told.expanded, outlier)


def _of(stack: Stack, item: tuple[str, str], taken: Sequence[Measure]) -> Measure | None:
    """On the merge that counts, else the one taken last."""
    fitting = [one for one in taken if one.take.stack_id == stack.id and (one.name, one.kind) == item]
    counted = counted_merge(stack)
    on_it = [one for one in fitting if counted is not None and one.merge_id == counted.id]
    return next(reversed(on_it or fitting), None)
