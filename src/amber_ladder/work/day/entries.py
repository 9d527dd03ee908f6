"""What a person says about a day."""

from datetime import timedelta
from typing import Annotated, Self

from pydantic import AwareDatetime, Field, model_validator

from amber_ladder.core.planning import time_to_shrink
from amber_ladder.formats.rig_json import Strict
from amber_ladder.work.plan import VanishingEntry

_LONGEST = timedelta(hours=24)

Minutes = Annotated[float, Field(ge=0, le=600, allow_inf_nan=False, description="min")]


class BreakEntry(Strict):
    """From when to when nobody is at the bench."""

    from_at: AwareDatetime
    until_at: AwareDatetime

    @model_validator(mode="after")
    def _forwards(self) -> Self:
        if self.until_at <= self.from_at:
            raise ValueError("a break ends before it begins: set it from its beginning to its end")
        return self


class VanishesEntry(VanishingEntry):
    """A crystal that has been lying in this air since then."""

    since: AwareDatetime

    @model_validator(mode="after")
    def _can_be_reckoned(self) -> Self:
        if self.allowed_um >= self.size_um / 2:
            raise ValueError("the shrinkage that is allowed must be less than half the crystal")
        return self

    def found(self) -> tuple[str, AwareDatetime | None]:
        """How it goes, and until when it may; None where it keeps."""
        told = time_to_shrink(**self.model_dump(exclude={"since"}))
        return told.how, None if told.seconds is None else self.since + timedelta(seconds=told.seconds)


class ItemEntry(Strict):
    """A stack to be shot. Without ``set_up_min`` it takes as long as the day says; ``by_at`` is its last moment."""

    stack_id: int
    set_up_min: Minutes | None = None
    by_at: AwareDatetime | None = None
    vanishes: VanishesEntry | None = None


class DayEntry(Strict):
    """The whole list of a date, in the order to be shot. ``seen`` is the revision that it started from."""

    starts_at: AwareDatetime
    ends_at: AwareDatetime
    breaks: Annotated[list[BreakEntry], Field(max_length=12, default_factory=list)]
    change_min: Minutes = 15.0
    set_up_min: Minutes = 10.0
    items: Annotated[list[ItemEntry], Field(max_length=60, default_factory=list)]
    seen: int = 0

    @model_validator(mode="after")
    def _one_day(self) -> Self:
        if self.ends_at <= self.starts_at:
            raise ValueError("the day ends before it begins: set it from morning to evening")
        if self.ends_at - self.starts_at > _LONGEST:
            raise ValueError("a day has 24 hours at most: set its end anew")
        self.breaks.sort(key=lambda one: one.from_at)
        for before, after in zip(self.breaks, self.breaks[1:], strict=False):
            if after.from_at < before.until_at:
                raise ValueError("two breaks overlap: make one of them, or part them")
        chosen = [one.stack_id for one in self.items]
        if len(set(chosen)) < len(chosen):
            raise ValueError("a stack stands twice in the list: leave one of them away")
        return self
