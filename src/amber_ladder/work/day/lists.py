"""Reading, changing and ordering the list of a date."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from amber_ladder.errors import BadInput, Conflict, NotFound, Stale
from amber_ladder.store import days, stacks
from amber_ladder.store.base import now as this_moment
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.day_models import Day
from amber_ladder.work.day.entries import DayEntry
from amber_ladder.work.day.following import Followed, follow
from amber_ladder.work.day.views import DayView, Totals
from amber_ladder.work.journal import changing


@dataclass(frozen=True, slots=True)
class DayChange:
    """A list as it is now, and what it came to before. ``proven`` says that no better order is possible."""

    day: DayView
    before: Totals | None
    proven: bool | None = None


def read(on: date, *, at: datetime | None = None) -> DayView | None:
    """The list of a date, as it stands at a moment (now), None where nobody made one."""
    with transaction(steady=True) as session:
        day = days.find(session, on)
        return follow(session, day, at).view if day else None


def change(on: date, entry: DayEntry) -> DayChange:
    """Set hours and list anew. Raises Stale, and BadInput where a stack is not there."""
    with transaction() as session:
        day = days.locked(session, on, starts_at=entry.starts_at, ends_at=entry.ends_at)
        _refuse_stale(day, entry.seen)
        before = follow(session, day).view.totals if day.items else None
        added_at = {one["stack_id"]: one["added_at"] for one in day.items}
        for item in entry.items:
            if item.stack_id not in added_at:
                _refuse_unknown(session, item.stack_id)
        moment = this_moment().isoformat()
        items = [{**one.model_dump(mode="json"), "added_at": added_at.get(one.stack_id, moment)} for one in entry.items]
        with changing(session, _words(day, items), day):
            day.revision += 1
            day.starts_at, day.ends_at = entry.starts_at, entry.ends_at
            day.breaks = [one.model_dump(mode="json") for one in entry.breaks]
            day.change_s, day.set_up_s = round(60 * entry.change_min), round(60 * entry.set_up_min)
            day.items = items
        return DayChange(follow(session, day).view, before)


def propose(on: date, *, seen: int, at: datetime | None = None) -> DayChange:
    """Put what is to come into the best order; what does not fit stands last. Raises NotFound, Conflict and Stale."""
    with transaction() as session:
        day = days.find(session, on)
        if day is None:
            raise NotFound(f"nothing is planned for {on}")
        _refuse_stale(day, seen)
        followed = follow(session, day, at)
    if not followed.to_come:
        raise Conflict("nothing is left to be put into an order")
    # Outside of any transaction, for it takes a second or two; and loaded here, for nothing else needs the solver.
    from amber_ladder.core.day.order import best_order

    best = best_order(followed.to_come, followed.hours)
    with transaction() as session:
        day = days.locked(session, on, starts_at=followed.view.starts_at, ends_at=followed.view.ends_at)
        _refuse_stale(day, seen)
        with changing(session, f"{on}: put into the best order", day):
            day.revision += 1
            day.items = _ordered(day.items, followed, (*best.keys, *best.left_out))
        return DayChange(follow(session, day, at).view, followed.view.totals, best.proven)


def _ordered(items: list[dict[str, Any]], followed: Followed, keys: Sequence[int]) -> list[dict[str, Any]]:
    """What is done stays first, as it was done."""
    turn = {key: place for place, key in enumerate((*followed.behind, *keys))}
    return sorted(items, key=lambda one: turn.get(one["stack_id"], len(turn)))


def _refuse_stale(day: Day, seen: int) -> None:
    if day.revision != seen:
        raise Stale("this day's list")


def _refuse_unknown(session: Session, stack_id: int) -> None:
    try:
        stack = stacks.get_stack(session, stack_id)
        if stack.tile == 0:
            raise BadInput("a whole is laid together from its tiles: put those on the list", field="items")
    except NotFound as error:
        raise BadInput(f"{error}: it was discarded, or never planned", field="items") from error


def _words(day: Day, items: list[dict[str, Any]]) -> str:
    before, after = ([one["stack_id"] for one in these] for these in (day.items, items))
    if len(after) != len(before):
        return f"{day.on}: {'added to' if len(after) > len(before) else 'taken from'} the day's list"
    return f"{day.on}: {'hours or times' if after == before else 'order'} of the day changed"
