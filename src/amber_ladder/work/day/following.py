"""Where a day stands: what was really shot since it was planned, and when what is to come comes."""

import logging
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import ceil
from statistics import median
from typing import Any, Literal

from pydantic import ValidationError

from amber_ladder.core.day import Hours, Sitting, Timed, times_of
from amber_ladder.errors import AmberLadderError, NotFound
from amber_ladder.store import rigs, stacks
from amber_ladder.store.base import now as this_moment
from amber_ladder.store.database import Session
from amber_ladder.store.day_models import Day
from amber_ladder.store.models import Stack, Take
from amber_ladder.work.day.entries import ItemEntry
from amber_ladder.work.day.views import BreakView, DayView, ItemView, Totals
from amber_ladder.work.stack.views import stack_ladder, stack_plan, stack_rig
from amber_ladder.work.waiting import in_turn, paces

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Followed:
    """A day as it is shown, with what is still to be put into an order, and stacks that are done or being shot."""

    view: DayView
    to_come: list[Sitting]
    hours: Hours
    behind: list[int]


@dataclass(frozen=True, slots=True)
class _Item:
    """An item with all that is known of it."""

    stack: Stack
    entry: ItemEntry
    sitting: Sitting
    magnification: float
    frames: int
    how: Literal["melts", "sublimates", "keeps"] | None
    last_moment: datetime | None
    take: Take | None
    done: bool


def follow(session: Session, day: Day, at: datetime | None = None) -> Followed:
    """The day at a moment (now). Stacks that were discarded since are left away."""
    now = at or this_moment()
    zero = day.starts_at
    pace = _pace(session)
    items, unreadable = _read(session, day, pace)
    behind = sorted((one for one in items if one.take), key=lambda one: (not one.done, _begun(one)))
    to_come = [one for one in items if one.take is None]
    rig = rigs.on_bench(session)
    standing = (str(behind[-1].stack.rig_id), behind[-1].stack.rig_name) if behind else None
    if standing is None and rig is not None:
        standing = (str(rig.id), rig.name)
    until = max([now, zero, *(_ended(one, now) for one in behind)])
    hours = Hours(
        _seconds(until - zero),
        max(_seconds(until - zero), _seconds(day.ends_at - zero)),
        tuple(
            (_seconds(_moment(one["from_at"]) - zero), _seconds(_moment(one["until_at"]) - zero)) for one in day.breaks
        ),
        day.change_s,
        standing[0] if standing else None,
        _seconds(now - zero) + _queued_s(session),
    )
    sittings = [one.sitting for one in to_come]
    times = times_of(sittings, hours)
    views = [_behind(one, now) for one in behind]
    views += [_ahead(one, timed, day, hours) for one, timed in zip(to_come, times.sittings, strict=True)]
    totals = Totals(
        times.changes,
        zero + timedelta(seconds=times.ends_s) if to_come else None,
        sum(not one.fits for one in views),
    )
    breaks = [BreakView(_moment(one["from_at"]), _moment(one["until_at"])) for one in day.breaks]
    view = DayView(day.on, day.revision, day.starts_at, day.ends_at, breaks, day.change_s, day.set_up_s,
                   standing[1] if standing else None, now, views, totals, unreadable)  # fmt: skip
    return Followed(view, sittings, hours, [one.stack.id for one in behind])


def _read(session: Session, day: Day, pace: float | None) -> tuple[list[_Item], list[int]]:
    """The items of a list, and the stacks in it that cannot be read: one of them must not hide all others."""
    items, unreadable = list[_Item](), list[int]()
    for told in day.items:
        try:
            item = _item(session, day, told, pace)
        except (AmberLadderError, ValidationError, LookupError, TypeError):
            log.exception("stack %s of the day cannot be read", told["stack_id"])
            unreadable.append(told["stack_id"])
        else:
            items += [item] if item else []
    return items, unreadable


def _item(session: Session, day: Day, told: dict[str, Any], pace: float | None) -> _Item | None:
    try:
        stack = stacks.get_stack(session, told["stack_id"])
    except NotFound:
        return None
    entry = ItemEntry.model_validate({name: value for name, value in told.items() if name != "added_at"})
    ladder, optics = stack_ladder(stack)
    plan, sensor = stack_plan(stack), stack_rig(stack).to_core().sensor
    how, gone = entry.vanishes.found() if entry.vanishes else (None, None)
    moments = [one for one in (entry.by_at, gone) if one is not None]
    last = min(moments, default=None)
    set_up_s = day.set_up_s if entry.set_up_min is None else round(60 * entry.set_up_min)
    merge_s = None if pace is None else ceil(pace * 1e-6 * ladder.frames * sensor.width_px * sensor.height_px)
    sitting = Sitting(
        stack.id, str(stack.rig_id), set_up_s, ceil(ladder.seconds), plan.rail is None and plan.focus_unit is None,
        None if last is None else _seconds(last - day.starts_at), merge_s,
    )  # fmt: skip
    since = _moment(told["added_at"])
    takes = [take for take in stack.takes if take.created_at >= since and (take.complete or _running(take))]
    done = bool(takes) and not _running(takes[-1])
    return _Item(stack, entry, sitting, optics.magnification, ladder.frames, how, last,  # type: ignore[arg-type]
                 takes[-1] if takes else None, done)  # fmt: skip


def _running(take: Take) -> bool:
    return take.task is not None and take.task.state in ("waiting", "running")


def _begun(item: _Item) -> datetime:
    if item.take is None:
        raise AssertionError("only what was begun has a beginning")
    return item.take.created_at


def _ended(item: _Item, now: datetime) -> datetime:
    """When the last frame was shot, or will be."""
    take = item.take
    if take is not None and _running(take):
        left_s = take.task.seconds_left if take.task and take.task.seconds_left is not None else None
        planned = _begun(item) + timedelta(seconds=item.sitting.shoot_s)
        return max(now, planned) if left_s is None else now + timedelta(seconds=left_s)
    task = take.task if take else None
    return task.ended_at if task and task.ended_at else _begun(item)


def _behind(item: _Item, now: datetime) -> ItemView:
    begun, ended = _begun(item), _ended(item, now)
    late = max(0, _seconds(ended - item.last_moment)) if item.last_moment else 0
    return _view(item, "done" if item.done else "shooting", changes=False, times=(begun, begun, ended, None),
                 late_s=late, over_s=0, fits=True, alone=True)  # fmt: skip


def _ahead(item: _Item, timed: Timed, day: Day, hours: Hours) -> ItemView:
    def moment(seconds: int) -> datetime:
        return day.starts_at + timedelta(seconds=seconds)

    (alone,) = times_of([item.sitting], hours).sittings
    merged = None if timed.merged_s is None else moment(timed.merged_s)
    return _view(
        item, "to come", changes=timed.changes,
        times=(moment(timed.begins_s), moment(timed.shoots_s), moment(timed.ends_s), merged),
        late_s=timed.late_s, over_s=timed.over_s, fits=not timed.late_s and not timed.over_s,
        alone=not alone.late_s and not alone.over_s,
    )  # fmt: skip


def _view(
    item: _Item,
    state: Literal["done", "shooting", "to come"],
    *,
    changes: bool,
    times: tuple[datetime, datetime, datetime, datetime | None],
    late_s: int,
    over_s: int,
    fits: bool,
    alone: bool,
) -> ItemView:
    stack, sitting, entry = item.stack, item.sitting, item.entry
    vanishes = entry.vanishes.model_dump(mode="json") if entry.vanishes else None
    return ItemView(
        stack.id, stack.specimen.catalogue_number, stack.specimen.name, stack.number, stack.rig_id, stack.rig_name,
        item.magnification, item.frames, sitting.by_hand, sitting.set_up_s, entry.set_up_min is not None,
        sitting.shoot_s, sitting.merge_s, entry.by_at, vanishes,
        item.how, item.last_moment, state, changes, *times, late_s, over_s, fits, alone,
    )  # fmt: skip


def _pace(session: Session) -> float | None:
    """Seconds a megapixel of a frame that merges have taken here, None where none was made yet."""
    known = paces(session)
    return median(known.values()) if known else None


def _queued_s(session: Session) -> int:
    """How long what waits for the worker takes, as far as that is known."""
    ends = [one.begins_in_s + one.takes_s for one in in_turn(session)
            if one.begins_in_s is not None and one.takes_s is not None]  # fmt: skip
    return ceil(max(ends, default=0.0))


def _moment(text: str) -> datetime:
    return datetime.fromisoformat(text)


def _seconds(span: timedelta) -> int:
    return round(span.total_seconds())
