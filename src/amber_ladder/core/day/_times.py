"""When each sitting begins and ends, in a given order. All times are whole seconds from the beginning of the day."""

from collections.abc import Sequence
from dataclasses import dataclass

from amber_ladder.errors import BadInput

WAITS_AT = 0.25
"""What a second costs by which something that vanishes is done later, against a second of work.

An hour sooner is worth one change of rig of a quarter of an hour.
"""


@dataclass(frozen=True, slots=True)
class Sitting:
    """A specimen to be shot: which rig it needs, for how long, and until when it will do.

    ``set_up_s`` takes hands, and so does shooting where it is ``by_hand``; a rail's run goes on through a break.
    ``by_s`` is the last moment for the last frame, None for what keeps. ``merge_s`` is worked off in the background,
    None where nobody knows how long it takes.
    """

    key: int
    rig: str
    set_up_s: int
    shoot_s: int
    by_hand: bool = False
    by_s: int | None = None
    merge_s: int | None = None

    @property
    def hands_s(self) -> int:
        """How long hands are needed, without a change of rig."""
        return self.set_up_s + (self.shoot_s if self.by_hand else 0)


@dataclass(frozen=True, slots=True)
class Hours:
    """From when to when work is done, without breaks; how long a change of rig takes, and which one stands there."""

    from_s: int
    until_s: int
    breaks: tuple[tuple[int, int], ...] = ()
    change_s: int = 900
    rig: str | None = None
    merging_until_s: int = 0

    def __post_init__(self) -> None:
        """Raise BadInput where the day ends before it begins, or breaks overlap."""
        if self.until_s < self.from_s:
            raise BadInput("the day ends before it begins: set it from morning to evening", field="until")
        for before, after in zip(self.breaks, self.breaks[1:], strict=False):
            if after[0] < before[1]:
                raise BadInput("two breaks overlap: make one of them, or part them", field="breaks")
        if any(first >= last for first, last in self.breaks):
            raise BadInput("a break ends before it begins: set it from its beginning to its end", field="breaks")


@dataclass(frozen=True, slots=True)
class Timed:
    """A sitting in its place. ``late_s`` is by how much the last frame comes too late for what vanishes, else 0.

    ``over_s`` is how much of it lies after the end of the day. ``merged_s`` is when its merge is done.
    """

    key: int
    begins_s: int
    changes: bool
    shoots_s: int
    ends_s: int
    late_s: int
    over_s: int
    merged_s: int | None


@dataclass(frozen=True, slots=True)
class Times:
    """A whole day. ``ends_s`` is when the last frame is shot."""

    sittings: tuple[Timed, ...]
    changes: int
    ends_s: int
    late: int
    over: int


def times_of(sittings: Sequence[Sitting], hours: Hours) -> Times:
    """Each sitting as early as it can be, in the order in which they stand."""
    now, rig, merging = hours.from_s, hours.rig, hours.merging_until_s
    done, changes, known = [], 0, True
    for one in sittings:
        change = rig is not None and one.rig != rig
        hands_s = one.hands_s + (hours.change_s if change else 0)
        begins = _free(now, hands_s, hours.breaks)
        shoots = begins + one.set_up_s + (hours.change_s if change else 0)
        ends = shoots + one.shoot_s
        known = known and one.merge_s is not None
        merging = max(merging, ends) + (one.merge_s or 0)
        late = max(0, ends - one.by_s) if one.by_s is not None else 0
        over = max(0, ends - max(hours.until_s, begins))
        done.append(Timed(one.key, begins, change, shoots, ends, late, over, merging if known else None))
        now, rig, changes = ends, one.rig, changes + change
    late, over = sum(one.late_s > 0 for one in done), sum(one.over_s > 0 for one in done)
    return Times(tuple(done), changes, now, late, over)


def cost_s(sittings: Sequence[Sitting], hours: Hours) -> float:
    """What an order costs: time for changes of rig, and waiting of what vanishes; too late is not in it."""
    times = times_of(sittings, hours)
    waits = sum(timed.ends_s - hours.from_s for one, timed in zip(sittings, times.sittings, strict=True)
                if one.by_s is not None)  # fmt: skip
    return times.changes * hours.change_s + WAITS_AT * waits


def _free(now: int, length: int, breaks: tuple[tuple[int, int], ...]) -> int:
    """The first moment from which hands are free for so long; what no stretch between breaks holds waits for the last.

    ``breaks`` follow one another.
    """
    for first, last in breaks:
        if now < last and now + length > first:
            now = last
    return now
