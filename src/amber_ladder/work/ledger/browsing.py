"""Finding stacks in the ledger: filtered, ordered, drawn as plots, and saved as views."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from math import isfinite
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Field, StringConstraints, model_validator

from amber_ladder.errors import BadInput
from amber_ladder.formats.columnar import TypedColumn, parquet_table
from amber_ladder.formats.exports import csv_table
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import ledger as lines
from amber_ladder.store import measures
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.ledger_models import LedgerRow
from amber_ladder.work.ledger.again import Reason, reasons
from amber_ladder.work.ledger.columns import BY_KEY, COLUMNS, Column
from amber_ladder.work.ledger.lines import bring_up_to_date, refresh

_MOST_ROWS = 200
_COUNTED: tuple[lines.Having, ...] = ("again", "scale_open", "not_merged")
Chosen = Annotated[list[Annotated[str, StringConstraints(max_length=200)]], Field(default_factory=list, max_length=50)]


def _sortable(key: str) -> str:
    if key not in BY_KEY:
        raise ValueError("there is no such column")
    return key


class LedgerFilter(Strict):
    """Which stacks: of every list any, of the lists together all.

    ``range`` entries are as ``step_ratio:1.0:``, a column and its least and most, either of which may be empty.
    """

    words: Annotated[str, StringConstraints(max_length=200)] = ""
    kind: Chosen
    rig: Chosen
    medium: Chosen
    scale: Annotated[
        list[Literal["measured", "picture", "nominal", "unknown"]], Field(default_factory=list, max_length=4)
    ]
    having: Annotated[list[lines.Having], Field(default_factory=list, max_length=20)]
    range: Annotated[list[Annotated[str, StringConstraints(max_length=80)]], Field(default_factory=list, max_length=20)]
    since: date | None = None
    until: date | None = None

    def wanted(self) -> lines.Wanted:
        """As the store takes it: days are whole, in UTC. Raises BadInput for a range that is none."""
        return lines.Wanted(
            self.words, self.kind, self.rig, self.medium, self.scale, self.having, dict(map(_range, self.range)),
            _midnight(self.since), _midnight(self.until + timedelta(days=1)) if self.until else None,
        )  # fmt: skip


class OrderedFilter(LedgerFilter):
    """The same, with the order."""

    by: Annotated[str, AfterValidator(_sortable)] = "shot_at"
    descending: bool = True


class TableFilter(OrderedFilter):
    """The same, with the columns that are wanted; those of named measures are as ``series:head width``."""

    column: Chosen


class PageFilter(OrderedFilter):
    """The same, with which part of it is asked for."""

    offset: Annotated[int, Field(ge=0, le=10_000_000)] = 0
    most: Annotated[int, Field(ge=1, le=_MOST_ROWS)] = 100


class PlotFilter(LedgerFilter):
    """The same, with the columns that make a point of each stack."""

    x: Annotated[str, AfterValidator(_sortable)]
    y: Annotated[str, AfterValidator(_sortable)]

    @model_validator(mode="after")
    def _can_be_drawn(self) -> Self:
        for one in (self.x, self.y):
            if BY_KEY[one].kind == "text" and one != "specimen_kind":
                raise ValueError(f"{BY_KEY[one].label} cannot be drawn")
        return self


class ViewEntry(Strict):
    """A view to save: its name, and the ledger's address behind the question mark."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]
    search: Annotated[str, StringConstraints(max_length=4000)]


@dataclass(frozen=True, slots=True)
class LedgerLine:
    """A stack's line: values by column, the named measures, and its ladder in small."""

    stack_id: int
    take_id: int | None
    merge_id: int | None
    values: dict[str, Any]
    series: dict[str, Any]
    drawing: dict[str, Any]
    again: list[Reason]


@dataclass(frozen=True, slots=True)
class LedgerPage:
    """A part of the lines that were found, and how many there are. ``behind`` lines are still being written anew."""

    rows: list[LedgerLine]
    total: int
    behind: int


@dataclass(frozen=True, slots=True)
class Choice:
    """A word that can be chosen, and how many stacks it has."""

    word: str
    count: int


@dataclass(frozen=True, slots=True)
class LedgerHead:
    """What the ledger can show and be filtered by: columns, named measures, the words in use, and how many there are.

    ``counts`` tells of how many stacks each of these holds; under "all" of how many any.
    """

    columns: list[Column]
    series: list[str]
    kinds: list[Choice]
    rigs: list[Choice]
    media: list[Choice]
    counts: dict[str, int]


@dataclass(frozen=True, slots=True)
class LedgerPlot:
    """Points, one for each stack of which both values are known: the same place in each list is the same stack.

    ``u`` is the standard uncertainty of ``y`` where one is kept. ``left`` counts stacks of which one is not known.
    """

    stack_id: list[int]
    label: list[str]
    group: list[str]
    x: list[Any]
    y: list[float]
    u: list[float | None] | None
    left: int


@dataclass(frozen=True, slots=True)
class ViewLine:
    """A saved view."""

    id: int
    name: str
    search: str


def browse(asked: PageFilter) -> LedgerPage:
    """Some lines of those that are asked for. Raises BadInput."""
    wanted = asked.wanted()
    with transaction() as session:
        behind = refresh(session)
        rows, total = lines.find(
            session, wanted, by=asked.by, descending=asked.descending, offset=asked.offset, most=asked.most
        )
        return LedgerPage([_line(row) for row in rows], total, behind)


def head() -> LedgerHead:
    """Columns and choices."""
    with transaction() as session:
        refresh(session)
        found = {name: [Choice(*one) for one in words] for name, words in lines.choices(session).items()}
        names = measures.series_names(session)
        counts: dict[str, int] = {one: lines.count(session, lines.Wanted(having=[one])) for one in _COUNTED}
        counts["all"] = lines.count(session, lines.Wanted())
        return LedgerHead(list(COLUMNS), names, found["specimen_kind"], found["rig_name"], found["medium"], counts)


def plot(asked: PlotFilter) -> LedgerPlot:
    """A point for each stack of those that are asked for. Raises BadInput."""
    columns = ["stack_id", "catalogue_number", "stack_number", "rig_name", asked.x, asked.y]
    unsure = asked.y == "um_per_px"
    with transaction() as session:
        found = lines.values(session, asked.wanted(), [*columns, *(["u_um_per_px"] if unsure else [])])
    known = [one for one in found if one[4] is not None and one[5] is not None]
    return LedgerPlot(
        [one[0] for one in known], [f"{one[1]}, stack {one[2]}" for one in known], [one[3] or "" for one in known],
        [one[4] for one in known], [one[5] for one in known], [one[6] for one in known] if unsure else None,
        len(found) - len(known),
    )  # fmt: skip


def as_shown(asked: TableFilter) -> str:
    """All that is asked for as CSV, named measures among the columns. Raises BadInput, and Conflict while it counts."""
    bring_up_to_date()
    with transaction() as session:
        rows = _all_rows(session, asked)
        return csv_table(list(map(_title, asked.column)), ([_cell(row, one) for one in asked.column] for row in rows))


def as_parquet(asked: TableFilter) -> bytes:
    """The same as Parquet: columns by their keys, with types, and names and units beside them. Raises as as_shown."""
    bring_up_to_date()
    with transaction() as session:
        rows = _all_rows(session, asked)
        return parquet_table([_typed(key, rows) for key in dict.fromkeys(asked.column)])


def _all_rows(session: Session, asked: TableFilter) -> list[LedgerRow]:
    names = measures.series_names(session)
    strange = [one for one in asked.column if one not in BY_KEY and one.removeprefix("series:") not in names]
    if strange:
        raise BadInput(f"the ledger has no column {strange[0]}", field="column")
    return lines.find(session, asked.wanted(), by=asked.by, descending=asked.descending, offset=0, most=None)[0]


def _typed(key: str, rows: Sequence[LedgerRow]) -> TypedColumn:
    if key.startswith("series:"):
        name = key.removeprefix("series:")
        told = [row.series.get(name) or {} for row in rows]
        units = {one["unit"] for one in told if one.get("unit")}
        return TypedColumn(key, "number", name, units.pop() if len(units) == 1 else "",
                           [one.get("value") for one in told])  # fmt: skip
    column = BY_KEY[key]
    kind = column.kind if column.kind in ("text", "count", "time") else "number"
    unit = "s" if column.kind == "duration" else column.unit
    return TypedColumn(key, kind, column.label, unit, [getattr(row, key) for row in rows])


def views() -> list[ViewLine]:
    """All saved views."""
    with transaction() as session:
        return _views(session)


def save_view(entry: ViewEntry) -> list[ViewLine]:
    """Save a view; returns all of them. Raises Conflict."""
    with transaction() as session:
        lines.save_view(session, entry.name, entry.search)
        return _views(session)


def forget_view(view_id: int) -> list[ViewLine]:
    """Forget a view; returns the others. Raises NotFound."""
    with transaction() as session:
        lines.forget_view(session, view_id)
        session.flush()
        return _views(session)


def _views(session: Session) -> list[ViewLine]:
    return [ViewLine(one.id, one.name, one.search) for one in lines.views(session)]


def _line(row: LedgerRow) -> LedgerLine:
    values = {one.key: getattr(row, one.key) for one in COLUMNS}
    return LedgerLine(row.stack_id, row.take_id, row.merge_id, values, row.series, row.drawing, reasons(row))


def _title(key: str) -> str:
    if key.startswith("series:"):
        return key.removeprefix("series:")
    column = BY_KEY[key]
    return f"{column.label}, {column.unit}" if column.unit else column.label


def _cell(row: LedgerRow, key: str) -> Any:
    if key.startswith("series:"):
        found = row.series.get(key.removeprefix("series:")) or {}
        return "" if found.get("value") is None else found["value"]
    value = getattr(row, key)
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat(timespec="seconds")
    return "" if value is None else value


def _range(text: str) -> tuple[str, tuple[float | None, float | None]]:
    try:
        name, low, high = text.split(":")
        ends = tuple(None if one == "" else float(one) for one in (low, high))
        if name not in lines.NUMBERS or not all(one is None or isfinite(one) for one in ends):
            raise ValueError(name)
    except ValueError as error:
        raise BadInput(f"{text!r} is no range: write it as step_ratio:0.5:1", field="range") from error
    return name, (ends[0], ends[1])


def _midnight(day: date | None) -> datetime | None:
    return datetime(day.year, day.month, day.day, tzinfo=UTC) if day else None
