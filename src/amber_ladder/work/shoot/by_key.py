"""Rungs called one after another at a knob, while the camera keeps its frames: a press of a key says that one was shot.

What is written down is the order of the presses. The files come afterwards, as a person's own or from a card.
"""

import statistics
import threading
import time
from collections import deque
from dataclasses import asdict, dataclass
from datetime import datetime

from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import BadInput, Conflict
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work.shoot import takes
from amber_ladder.work.shoot.orders import TurnOrder
from amber_ladder.work.shoot.setup import Setup
from amber_ladder.work.shoot.turning import call_view, noted, rung_read
from amber_ladder.work.shoot.views import RunView

_INTERVALS = 9
_LOOK_EVERY_S = 0.2


@dataclass(frozen=True, slots=True)
class Press:
    """A rung that was said to be shot: when (local time), and where the knob read that was, if not as called (µm)."""

    rung: int
    at: str
    read_um: float | None = None


class ByKey:
    """Calls the rungs of one take; taken up again, it knows which were shot. Nothing is seen of the frames."""

    def __init__(self, take_id: int, setup: Setup, stop: StopToken) -> None:
        self.stop, self.setup = stop, setup
        self._take_id, self._turn = take_id, threading.RLock()
        with transaction() as session:
            take = stacks.get_take(session, take_id)
            self.task_id = take.task_id or 0
            run = take.run or {}
            self._positions = [float(one) for one in run["positions_um"]]
            self._pressed = [Press(**one) for one in run["pressed"]]
        self._called = self._next_open(self._pressed[-1].rung if self._pressed else -1)
        self._came_from_um: float | None = None
        self._last_s = time.monotonic()
        self._intervals: deque[float] = deque(maxlen=_INTERVALS)

    def view(self) -> RunView:
        """For the page."""
        with self._turn:
            shot, total = self._shot(), len(self._positions)
            left_s = (total - len(shot)) * statistics.median(self._intervals) if self._intervals else None
            call = None
            if self._called is not None:
                call = call_view(
                    self.setup, self._positions, self._called, self._came_from_um, again=self._called in shot
                )
            return RunView(
                self._take_id, self.setup.stack_id, "key", "turn", 0.0, False, self._called, len(shot), total, left_s,
                "", None, call,
            )  # fmt: skip

    def gather(self) -> str:
        """Until every rung was shot, or it is told to stop; says how it ended. Raises Conflict where none was."""
        while not self.stop.stopped and self._called is not None:
            self.stop.event.wait(_LOOK_EVERY_S)
        with self._turn:
            if not self._pressed:
                raise Conflict("no rung was said to be shot")
            count = len(self._pressed)
            return (
                f"{len(self._shot())} of {len(self._positions)} rungs were shot, by {count} presses: bring these "
                f"{count} files as they were shot, as own frames or from the card."
            )

    def press(self) -> None:
        """The rung that is called was shot. Raises Conflict where none is."""
        with self._turn:
            if self._called is None:
                raise Conflict("no rung is called")
            self._pressed.append(Press(self._called, datetime.now().isoformat(timespec="milliseconds")))
            now_s = time.monotonic()
            self._intervals.append(now_s - self._last_s)
            self._last_s, self._came_from_um = now_s, self._positions[self._called]
            self._called = self._next_open(self._called)
            self._written()

    def order(self, entry: TurnOrder) -> None:
        """What a person at the knob says. Raises BadInput, and Conflict for what only pictures could tell."""
        with self._turn:
            match entry.order:
                case "call":
                    if entry.rung is None or entry.rung >= len(self._positions):
                        raise BadInput(f"say which of the {len(self._positions)} rungs", field="rung")
                    self._called = entry.rung
                case "again":
                    self._called = self._last().rung
                case "none":
                    self._called = self._last().rung
                    self._pressed.pop()
                    self._written()
                case "read":
                    self._read(entry.reading)
                case _:
                    raise Conflict("nobody sees the frames yet: say so when they are in their take")

    def _read(self, reading: float | None) -> None:
        last = self._last()
        rung, at_um = rung_read(self.setup, self._positions, last.rung, reading)
        self._pressed[-1] = Press(rung, last.at, at_um)
        self._came_from_um = at_um
        self._called = self._next_open(rung)
        self._written()

    def _last(self) -> Press:
        if not self._pressed:
            raise Conflict("no rung was said to be shot yet")
        return self._pressed[-1]

    def _shot(self) -> set[int]:
        return {one.rung for one in self._pressed}

    def _next_open(self, after: int) -> int | None:
        """The rung that comes next, else what was left open before."""
        shot, every = self._shot(), range(len(self._positions))
        ahead = (rung for rung in range(after + 1, len(self._positions)) if rung not in shot)
        return next(ahead, next((rung for rung in every if rung not in shot), None))

    def _written(self) -> None:
        noted(self._take_id, pressed=[asdict(one) for one in self._pressed])
        view = self.view()
        takes.report(self.task_id, view.done, view.total, view.seconds_left)
