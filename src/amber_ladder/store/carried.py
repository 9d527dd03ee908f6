"""A take as it stands in the database, with all that belongs to it: carried in a package, set down elsewhere."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, TypeVar, cast

from sqlalchemy import Date, DateTime, inspect, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from amber_ladder.core.history import faults_of
from amber_ladder.errors import BadInput
from amber_ladder.store import history, mends, rigs, stacks
from amber_ladder.store.base import Base
from amber_ladder.store.history_models import HistoryEntry
from amber_ladder.store.mend_models import Mend, MendChange
from amber_ladder.store.models import (
    Frame,
    Measure,
    Product,
    Rig,
    Sorting,
    Specimen,
    Stack,
    Take,
    Task,
)
from amber_ladder.store.tasks import ENDED

CARRIED = ("merge", "mend")
"""Products that are carried; all others can be made again from them."""
_NOT_CARRIED = {"discard_id", "worker", "handed_over", "stop_requested", "tile_set_id", "tile"}
"""What belongs to this station alone: of a set of tiles each is a stack by itself elsewhere."""
Rows = Mapping[str, Any]
R = TypeVar("R", bound=Base)


def carried(session: Session, take: Take) -> dict[str, Any]:
    """All rows of a take, its stack, specimen and rig, as JSON, with the numbers that they have here."""
    stack = take.stack
    products = [one for one in take.products if one.kind in CARRIED and one.files]
    numbers = {one.id for one in products}
    tasks = [*([take.task] if take.task else []), *(one.task for one in products)]
    mended = [one for one in mends.mends_of(take) if one.merge_id in numbers]
    version = rigs.version_of(session, stack.rig_id, stack.rig_version)
    return {
        "specimen": _told(stack.specimen),
        "rig": _told(version) if version else None,
        "stack": _told(stack),
        "take": _told(take),
        "tasks": [_told(one) for one in tasks],
        "frames": [_told(one) for one in take.frames],
        "sortings": [_told(one) for one in take.sortings],
        "products": [_told(one) for one in products],
        "measures": [_told(one) for one in take.measures if one.merge_id in numbers],
        "mends": [{**_told(one), "changes": [_told(change) for change in one.changes]} for one in mended],
    }


@dataclass(frozen=True, slots=True)
class SetDown:
    """What was set down: the stack, and each product by the number that it had where it came from."""

    stack: Stack
    products: dict[int, Product] = field(default_factory=dict)


def set_down(session: Session, rows: Rows, entries: Sequence[Rows], specimen: Specimen, rig: Rig) -> SetDown:
    """Write a take that came from elsewhere under numbers of this station, with its history as it came.

    ``specimen`` and ``rig`` are those of this station that it belongs to. Raises BadInput where it does not hold
    together.
    """
    try:
        with session.begin_nested():
            down = _written(session, rows, specimen, rig)
            _take_over(session, down.stack.id, entries)
            return down
    except (LookupError, TypeError, ValueError, AttributeError, SQLAlchemyError) as error:
        words = str(error).split("\n", 1)[0]
        raise BadInput(f"the record of this package does not hold together: {words}", field="package") from error


def stack_of_history(session: Session, first_sha256: str) -> Stack | None:
    """The stack whose history begins with this entry, if it is here."""
    return session.scalar(
        select(Stack)
        .join(HistoryEntry, HistoryEntry.stack_id == Stack.id)
        .where(HistoryEntry.number == 1, HistoryEntry.sha256 == first_sha256)
    )


def _written(session: Session, rows: Rows, specimen: Specimen, rig: Rig) -> SetDown:
    def add(kind: type[R], told: Rows, **mine: Any) -> R:
        row = _row(kind, told, mine)
        session.add(row)
        session.flush()
        return row

    stack = _row(Stack, rows["stack"], {"rig_id": rig.id, "rig_name": rig.name, "rig_version": rig.version,
                                        "specimen_id": specimen.id, "counted_merge_id": None})  # fmt: skip
    stacks.add_stack(session, specimen, stack)
    session.flush()
    tasks = {one["id"]: add(Task, one, stack_id=stack.id) for one in rows["tasks"]}
    _refuse_open(tasks.values())
    take_task = rows["take"]["task_id"]
    take = add(Take, rows["take"], stack_id=stack.id, task_id=tasks[take_task].id if take_task else None)
    frames = {one["id"]: add(Frame, one, take_id=take.id).id for one in rows["frames"]}
    sortings = {}
    for one in rows["sortings"]:
        series, left = ([{**item, "frame_id": frames[item["frame_id"]]} for item in one[name]]
                        for name in ("series", "left_out"))  # fmt: skip
        sortings[one["id"]] = add(Sorting, one, take_id=take.id, series=series, left_out=left).id
    products: dict[int, Product] = {}
    # Merges first: what was mended of one belongs to it.
    for one in sorted(rows["products"], key=lambda told: CARRIED.index(told["kind"])):
        products[one["id"]] = add(
            Product, one, take_id=take.id, task_id=tasks[one["task_id"]].id,
            sorting_id=sortings[one["sorting_id"]] if one["sorting_id"] else None,
            parent_id=products[one["parent_id"]].id if one["parent_id"] else None,
        )  # fmt: skip
    counted = products.get(rows["stack"]["counted_merge_id"])
    stack.counted_merge_id = counted.id if counted else None
    for one in rows["measures"]:
        add(Measure, one, take_id=take.id, merge_id=products[one["merge_id"]].id)
    _set_down_mends(rows["mends"], take, products, add)
    session.flush()
    session.expire_all()
    return SetDown(stacks.get_stack(session, stack.id), products)


def _set_down_mends(told: Sequence[Rows], take: Take, products: Mapping[int, Product], add: Callable[..., Any]) -> None:
    """Mends with their changes. What was painted from a merge is painted from the same merge under its new number."""
    numbers = {str(old): str(new.id) for old, new in products.items()}
    by_mend = {}
    for one in told:
        mend = add(Mend, one, take_id=take.id, merge_id=products[one["merge_id"]].id)
        by_mend[one["id"]] = mend.id
        for change in one["changes"]:
            add(MendChange, change, mend_id=mend.id, change=_renumbered(change["change"], numbers))
    names = {str(old): f"{new.kind}-{new.number}" for old, new in products.items() if new.kind == "merge"}
    for product in products.values():
        if product.kind == "mend":
            # Its report and its steps stay as they were written: there merges have the numbers of the other station.
            product.settings = {**product.settings, "mend_id": by_mend[product.settings["mend_id"]],
                                "merge_names": product.settings.get("merge_names", names)}  # fmt: skip


def _renumbered(value: Any, numbers: Mapping[str, str]) -> Any:
    if isinstance(value, dict):
        return {
            name: numbers.get(one, one) if name == "merge" and isinstance(one, str) else _renumbered(one, numbers)
            for name, one in value.items()
        }
    return [_renumbered(one, numbers) for one in value] if isinstance(value, list) else value


def _refuse_open(tasks: Iterable[Task]) -> None:
    if any(one.ended_at is None or one.state not in ENDED for one in tasks):
        raise ValueError("something in it was still going on when it was packed")


def _take_over(session: Session, stack_id: int, entries: Sequence[Rows]) -> None:
    rows = [_row(HistoryEntry, one, {"stack_id": stack_id}) for one in entries]
    if faults := faults_of([one.as_json() for one in rows]):
        raise ValueError(f"history, entry {faults[0].number}: {faults[0].reason}")
    history.forget_what_ended(session)  # what happened there stands in these entries
    session.add_all(rows)
    session.flush()


def _told(row: Base) -> dict[str, Any]:
    """A row's columns as JSON."""
    named = {one.key: getattr(row, one.key) for one in inspect(type(row)).column_attrs if one.key not in _NOT_CARRIED}
    return {name: value.isoformat() if isinstance(value, datetime) else value
            for name, value in named.items() if name in row.__table__.columns}  # fmt: skip


def _row(kind: type[R], told: Rows, mine: Rows) -> R:
    """A new row of these columns; ``mine`` are those that differ here."""
    values: dict[str, Any] = {}
    for column in inspect(kind).columns:
        name = str(column.key)
        if name in mine:
            values[name] = mine[name]
        elif name in told and name != "id" and name not in _NOT_CARRIED:
            values[name] = _read(column.type, told[name])
    return kind(**values)


def _read(column_type: object, value: Any) -> Any:
    if isinstance(column_type, Date | DateTime) and value is not None:
        return datetime.fromisoformat(cast(str, value))
    return value
