"""A hand on a knob: what it is called to, which rung a reading means, and frames that are put on another rung."""

from collections.abc import Sequence
from dataclasses import dataclass

from amber_ladder.core.planning import position_at, reading_at
from amber_ladder.errors import BadInput
from amber_ladder.store import history, stacks
from amber_ladder.store.database import transaction
from amber_ladder.work.journal import did
from amber_ladder.work.shoot.setup import Setup
from amber_ladder.work.shoot.views import CallView

_LEAST_STEPS_BACK = 3  # a knob comes from so many rungs before the one that is called, or from beyond its play


@dataclass(frozen=True, slots=True)
class OnRung:
    """A frame of the take, its rung, and where that lies (µm)."""

    frame_id: int
    rung: int
    position_um: float


@dataclass(frozen=True, slots=True)
class Corrected:
    """A frame as it is from now on: its rung, what the knob read there, why it takes no part, where it was called."""

    frame_id: int
    rung: int
    reported_um: float | None
    left_out: str | None
    planned_um: float | None = None


def call_view(
    setup: Setup, positions_um: Sequence[float], rung: int, came_from_um: float | None, *, again: bool
) -> CallView:
    """What a hand is called to; one that does not come from before the rung goes back beyond its play first."""
    knob, at_um = setup.plan.to_knob(), positions_um[rung]
    assert knob is not None
    first, back = reading_at(knob, positions_um[0]).turn, None
    if came_from_um is None or at_um <= came_from_um:
        play_um = setup.plan.rail.backlash_um if setup.plan.rail else 0.0
        back = reading_at(knob, at_um - max(2.0 * play_um, _LEAST_STEPS_BACK * setup.ladder.step_um))
    now = reading_at(knob, at_um)
    return CallView(
        rung, at_um, now.division, now.turn - first, back.division if back else None,
        back.turn - first if back else None, again,
    )  # fmt: skip


def rung_read(setup: Setup, positions_um: Sequence[float], beside: int, reading: float | None) -> tuple[int, float]:
    """The rung that lies where the knob read this, near the rung ``beside``, and where (µm). Raises BadInput."""
    knob = setup.plan.to_knob()
    if knob is None or reading is None or reading >= knob.divisions_per_turn:
        raise BadInput("say what the knob reads, from 0 up to a whole turn", field="reading")
    at_um = position_at(knob, reading, beside_um=positions_um[beside])
    rung = min(range(len(positions_um)), key=lambda one: abs(positions_um[one] - at_um))
    if abs(positions_um[rung] - at_um) > 0.5 * setup.ladder.step_um:
        raise BadInput("that lies beyond the ladder: the reading, or the turn, must be another", field="reading")
    return rung, at_um


def put_on_rungs(take_id: int, corrected: Sequence[Corrected], words: str) -> None:
    """Write it down, all or nothing; ``words`` stand in the history, with {name} for that of the first frame."""
    with transaction() as session:
        take = stacks.get_take(session, take_id, locked=True)
        frames = {frame.id: frame for frame in take.frames}
        for one in corrected:
            frame = frames[one.frame_id]
            frame.rung, frame.reported_um = one.rung, one.reported_um
            frame.left_out = one.left_out or frame.left_out
            frame.planned_um = frame.planned_um if one.planned_um is None else one.planned_um
        first = frames[corrected[0].frame_id].name
        if words:
            history.note(session, take.stack_id, "corrected", words.replace("{name}", first), {"take": take.number})
        did(session, words.replace("{name}", first) or f"{first}: {corrected[0].left_out}", take.stack)


def noted(take_id: int, **what: object) -> None:
    """Write down what has become of a take's ladder."""
    with transaction() as session:
        take = stacks.get_take(session, take_id, locked=True)
        take.run = {**(take.run or {}), **what}
