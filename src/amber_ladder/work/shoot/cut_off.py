"""What was being shot when the server ended, at its next start."""

from collections.abc import Callable
from functools import partial

from amber_ladder.errors import AmberLadderError, Conflict, DatabaseAway
from amber_ladder.work.patience import patiently
from amber_ladder.work.shoot import takes
from amber_ladder.work.shoot.rail_line import RailLine


def take_up_cut_off(line: RailLine, resume: Callable[[int], object]) -> None:
    """Let ``resume`` go on with takes that were cut off lately; older ones are ended, and wait for a person's word."""
    for task_id, take_id, lately in patiently(takes.cut_off):
        patiently(partial(_go_on, line, resume, task_id, take_id, lately=lately))


def _go_on(line: RailLine, resume: Callable[[int], object], task_id: int, take_id: int, *, lately: bool) -> None:
    try:
        if not lately:
            raise Conflict("cut off a while ago: it does not go on by itself, for hands may be on the bench")
        line.await_start()
        resume(take_id)
    except DatabaseAway:
        raise
    except AmberLadderError as error:
        takes.end_take(task_id, take_id, "failed", str(error))
