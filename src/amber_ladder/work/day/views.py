"""A day as it stands now: what is done, what is being shot, and when the rest comes."""

from dataclasses import dataclass
from datetime import date, datetime
from typing import Literal


@dataclass(frozen=True, slots=True)
class ItemView:
    """A stack in the day.

    Times of what is done are as they were, all others as they are expected. ``set_up_s`` is assumed; ``shoot_s``
    follows from its plan. ``merge_s`` is as merges have taken here, None where none was made yet. ``last_moment`` is
    the earlier of what was said and what the model of vanishing gives. ``fits`` is False where its last frame comes
    after that or after the day; ``alone`` says whether it would fit if nothing else stood before it.
    """

    stack_id: int
    catalogue_number: str
    name: str
    stack_number: int
    rig_id: int
    rig_name: str
    magnification: float
    frames: int
    by_hand: bool
    set_up_s: int
    own_set_up: bool
    shoot_s: int
    merge_s: int | None
    by_at: datetime | None
    vanishes: dict[str, object] | None
    how: Literal["melts", "sublimates", "keeps"] | None
    last_moment: datetime | None
    state: Literal["done", "shooting", "to come"]
    changes: bool
    begins_at: datetime
    shoots_at: datetime
    ends_at: datetime
    merged_at: datetime | None
    late_s: int
    over_s: int
    fits: bool
    alone: bool


@dataclass(frozen=True, slots=True)
class Totals:
    """What the rest of a day comes to. ``ends_at`` is when the last frame is shot, None where nothing is to come."""

    changes: int
    ends_at: datetime | None
    do_not_fit: int


@dataclass(frozen=True, slots=True)
class BreakView:
    """A break."""

    from_at: datetime
    until_at: datetime


@dataclass(frozen=True, slots=True)
class DayView:
    """The list of a date. ``rig_name`` stands on the bench now, None where nobody said which.

    ``unreadable`` are stacks of the list whose plan or rig cannot be read.
    """

    on: date
    revision: int
    starts_at: datetime
    ends_at: datetime
    breaks: list[BreakView]
    change_s: int
    set_up_s: int
    rig_name: str | None
    now: datetime
    items: list[ItemView]
    totals: Totals
    unreadable: list[int]
