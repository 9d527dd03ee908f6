"""Lines of the ledger: which are behind, writing them anew, and finding those that are asked for."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Literal

from sqlalchemy import ColumnElement, Select, and_, delete, func, or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.store.ledger_models import LedgerRow, LedgerStale, LedgerView
from amber_ladder.store.models import Stack

Having = Literal[
    "gap", "end", "moved", "coarse", "left_out", "findings", "mended", "measured", "scale_open", "not_shot",
    "not_merged", "again",
]  # fmt: skip
_HAVING: dict[str, ColumnElement[bool]] = {
    "gap": LedgerRow.gaps > 0,
    "end": LedgerRow.ends_open > 0,
    "moved": LedgerRow.moved > 0,
    "coarse": LedgerRow.step_ratio > 1.0,
    "left_out": LedgerRow.frames_left_out > 0,
    "findings": LedgerRow.findings > 0,
    "mended": LedgerRow.mended_share > 0,
    "measured": LedgerRow.measures > 0,
    # A scale that merely follows from the rig's arithmetic is as open as one that nobody knows.
    "scale_open": and_(LedgerRow.take_id.is_not(None), or_(LedgerRow.scale_from.is_(None),
                                                           LedgerRow.scale_from == "nominal")),
    "not_shot": LedgerRow.take_id.is_(None),
    "not_merged": and_(LedgerRow.take_id.is_not(None), LedgerRow.merge_id.is_(None)),
    "again": and_(
        LedgerRow.merge_id.is_not(None),
        or_(LedgerRow.gaps > 0, LedgerRow.ends_open > 0, LedgerRow.moved > 0, LedgerRow.step_ratio > 1.0,
            LedgerRow.scale_from.is_(None)),
    ),
}  # fmt: skip
NUMBERS = tuple(one.key for one in LedgerRow.__table__.columns if one.type.python_type in (int, float))
_ONE_WRITES = 7_340_241  # key of the advisory lock; any fixed number
_SEARCHED = ("specimen_kind", "rig_name", "medium")


@dataclass(frozen=True, slots=True)
class Wanted:
    """Which lines: of every list any, of the lists together all. ``ranges`` are by column, either end may be open."""

    words: str = ""
    kinds: Sequence[str] = ()
    rigs: Sequence[str] = ()
    media: Sequence[str] = ()
    scales: Sequence[str] = ()
    having: Sequence[Having] = ()
    ranges: Mapping[str, tuple[float | None, float | None]] = field(default_factory=dict)
    since: datetime | None = None
    until: datetime | None = None


def mark_behind(session: Session, stack_ids: Sequence[int]) -> None:
    """Note that the lines of these stacks are behind."""
    if stack_ids:
        session.execute(insert(LedgerStale), [{"stack_id": one} for one in stack_ids])


def behind(session: Session, most: int) -> dict[int, list[int]]:
    """Some stacks whose lines are behind, the latest changes first, each with the notes that say so.

    One at a time writes lines: until this transaction ends, another one waits here, and finds them written.
    """
    session.execute(select(func.pg_advisory_xact_lock(_ONE_WRITES)))
    latest = select(LedgerStale.stack_id).group_by(LedgerStale.stack_id).order_by(func.max(LedgerStale.id).desc())
    found: dict[int, list[int]] = {one: [] for one in session.scalars(latest.limit(most))}
    notes = select(LedgerStale.stack_id, LedgerStale.id).where(LedgerStale.stack_id.in_(found))
    for stack_id, note in session.execute(notes):
        found[stack_id].append(note)
    return found


def count_behind(session: Session) -> int:
    """How many stacks' lines are behind."""
    return session.scalar(select(func.count(func.distinct(LedgerStale.stack_id)))) or 0


def write(session: Session, stack_id: int, values: Mapping[str, Any] | None, notes: Sequence[int]) -> None:
    """Write a stack's line anew, None where it is gone, from what was read after these notes were there.

    Only they are taken away: another may have been written meanwhile, and not be committed yet.
    """
    if values is None:
        session.execute(delete(LedgerRow).where(LedgerRow.stack_id == stack_id))
    else:
        row = insert(LedgerRow).values(stack_id=stack_id, **values)
        session.execute(row.on_conflict_do_update(index_elements=["stack_id"], set_=dict(values)))
    session.execute(delete(LedgerStale).where(LedgerStale.id.in_(notes)))


def find(
    session: Session, wanted: Wanted, *, by: str, descending: bool, offset: int, most: int | None
) -> tuple[list[LedgerRow], int]:
    """Lines in an order, and how many there are. What is not known stands last, whichever way it is ordered."""
    column = LedgerRow.__table__.columns[by]
    order = column.desc().nulls_last() if descending else column.asc().nulls_last()
    query = _wanted(select(LedgerRow), wanted).order_by(order, LedgerRow.stack_id).offset(offset)
    return list(session.scalars(query.limit(most))), count(session, wanted)


def count(session: Session, wanted: Wanted) -> int:
    """How many lines are wanted."""
    return session.scalar(_wanted(select(func.count(LedgerRow.stack_id)), wanted)) or 0


def values(session: Session, wanted: Wanted, columns: Sequence[str]) -> list[tuple[Any, ...]]:
    """Of each line that is wanted these columns, by stack."""
    picked = [LedgerRow.__table__.columns[one] for one in columns]
    return [tuple(one) for one in session.execute(_wanted(select(*picked), wanted).order_by(LedgerRow.stack_id))]


def choices(session: Session) -> dict[str, list[tuple[str, int]]]:
    """What can be chosen of kinds, rigs and media, each with the number of its stacks."""
    found = {}
    for name in _SEARCHED:
        column, count = LedgerRow.__table__.columns[name], func.count(LedgerRow.stack_id)
        query = _kept(select(column, count)).where(column.is_not(None)).group_by(column).order_by(column)
        found[name] = [(str(one), int(number)) for one, number in session.execute(query)]
    return found


def views(session: Session) -> list[LedgerView]:
    """All saved views, by name."""
    return list(session.scalars(select(LedgerView).order_by(LedgerView.name)))


def save_view(session: Session, name: str, search: str) -> None:
    """Save a view. Raises Conflict where the name is taken."""
    session.add(LedgerView(name=name, search=search))
    try:
        session.flush()
    except IntegrityError as error:
        raise Conflict(f"there is a view called {name} already: choose another name") from error


def forget_view(session: Session, view_id: int) -> None:
    """Forget a view. Raises NotFound."""
    view = session.get(LedgerView, view_id)
    if view is None:
        raise NotFound(f"there is no view {view_id}")
    session.delete(view)


def _kept(query: Select[Any]) -> Select[Any]:
    """What was thrown away has a line still, until it is written anew, and is in no answer."""
    return query.join(Stack, Stack.id == LedgerRow.stack_id).where(Stack.discard_id.is_(None))


def _wanted(query: Select[Any], wanted: Wanted) -> Select[Any]:
    query = _kept(query)
    for word in wanted.words.lower().split():
        like = "%" + word.replace("\\", r"\\").replace("%", r"\%").replace("_", r"\_") + "%"
        query = query.where(LedgerRow.words.like(like))
    for column, chosen in (
        (LedgerRow.specimen_kind, wanted.kinds), (LedgerRow.rig_name, wanted.rigs), (LedgerRow.medium, wanted.media),
    ):  # fmt: skip
        if chosen:
            query = query.where(column.in_(chosen))
    if wanted.scales:
        open_too = [LedgerRow.scale_from.is_(None)] if "unknown" in wanted.scales else []
        query = query.where(or_(LedgerRow.scale_from.in_(wanted.scales), *open_too))
    for one in wanted.having:
        query = query.where(_HAVING[one])
    for name, (low, high) in wanted.ranges.items():
        figure = LedgerRow.__table__.columns[name]
        if low is not None:
            query = query.where(figure >= low)
        if high is not None:
            query = query.where(figure <= high)
    when = func.coalesce(LedgerRow.shot_at, LedgerRow.planned_at)
    if wanted.since:
        query = query.where(when >= wanted.since)
    if wanted.until:
        query = query.where(when < wanted.until)
    return query
