"""A run: approach from one side, settle, wait for the flash, shoot, check, go on; again where a frame is unfit.

The one way to shoot a ladder: at the bench, for practice, for a calibration's series and from the command line. Where
nothing real is in the room, it goes by a clock that can be hurried.
"""

import statistics
import threading
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import Any

from numpy.typing import NDArray

from amber_ladder.core.light import FrameFault, FrameJudge
from amber_ladder.core.planning import Reach
from amber_ladder.core.sorting import Form, Shot, form_of, why_unlike
from amber_ladder.devices.clock import Clock
from amber_ladder.devices.protocols import Camera, Exposure, Flash, Rail
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import Stopped, UnreadablePicture
from amber_ladder.formats.pictures import RAW_NAMES
from amber_ladder.work.shoot.incoming import decoded
from amber_ladder.work.shoot.views import RunView

_LEAST_RUN_UP_UM = 300.0  # every rung is approached from the near side over at least this, more than usual play
_LOOK_EVERY_S = 0.02
_REST_S = 1.5  # a frame that looks shaken is shot again after so much more rest, for each try
_LONGER = 2.0  # and if that made it calmer, every later rung settles so many times longer,
_MOST_SETTLE_S = 4.0  # but not more than this beyond what was planned
_MOST_RECYCLES = 4.0  # nor is a slow flash waited for longer than so many times what it says
_SHORT_S = 0.2
_CALM_S = 1.5


@dataclass(frozen=True, slots=True)
class Rungs:
    """What is to be shot: all positions of the take's ladder (µm), and which of them, with how often before.

    ``usual`` is the form of the frames that the take has already, None for a new one.
    """

    positions_um: tuple[float, ...]
    todo: tuple[tuple[int, int], ...]
    usual: Form | None = None


@dataclass(frozen=True, slots=True)
class Taken:
    """One frame on its way into the take: its file, what is known of it, and the decoded picture."""

    shot: Shot
    exposure: Exposure
    picture: NDArray[Any]
    faults: tuple[FrameFault, ...]


@dataclass(frozen=True, slots=True)
class Pace:
    """How a run goes. ``backlash_um`` is the play of the screw; ``reshoots`` how often an unfit frame is shot again."""

    settle_s: float
    exposure_s: float
    backlash_um: float = 0.0
    reshoots: int = 0


@dataclass(slots=True)
class Controls:
    """How a run is told to pause or stop, from any thread."""

    stop: StopToken = field(default_factory=StopToken)
    paused: threading.Event = field(default_factory=threading.Event)
    stop_after: threading.Event = field(default_factory=threading.Event)


@dataclass(slots=True)
class State:
    """What a run does now, for the page; ``overheads_s`` is what its rungs took beyond the devices' own times."""

    phase: str = "approach"
    until_s: float = 0.0
    rung: int | None = None
    said: str = ""
    overheads_s: list[float] = field(default_factory=list)
    periods_s: deque[float] = field(default_factory=lambda: deque(maxlen=9))


@dataclass(frozen=True, slots=True)
class _Try:
    """A rung to be shot, and which try it is; ``midway`` once this run has begun with it."""

    rung: int
    attempt: int
    midway: bool = False


class Run:
    """One run over some rungs of a ladder.

    ``keep`` is given every frame as it is judged, those to be shot again too, which are left out. ``told`` is called
    with the count of rungs done whenever it changes; it may stop the run by raising.
    """

    def __init__(
        self,
        rungs: Rungs,
        rail: Rail,
        camera: Camera,
        flash: Flash | None,
        *,
        pace: Pace,
        reach: Reach,
        clock: Clock,
        controls: Controls,
        keep: Callable[[Taken], None],
        told: Callable[[int], None],
    ) -> None:
        self.rungs, self.controls, self.state = rungs, controls, State()
        self._rail, self._camera, self._flash = rail, camera, flash
        self._pace, self._reach, self._clock = pace, reach, clock
        self._settle_s = pace.settle_s
        self._run_up_um = max(_LEAST_RUN_UP_UM, 2.0 * pace.backlash_um)
        self._judge, self._usual = FrameJudge(), rungs.usual
        self._keep, self._told = keep, told
        self._came_to: tuple[int, float | None] | None = None
        """The rung that the rail rests at, and where it says it is."""
        self._extra_s = self._rest_s = 0.0
        self._rested_s = self._moved_s = self._recycling_s = 0.0
        self._ended_s: float | None = None
        self.done = 0

    def seconds_left(self) -> float:
        """From what the last rungs took; before there are any, from the times that were planned."""
        recycle = self._flash.recycle_s(self._flash.power) if self._flash else 0.0
        planned = self._settle_s + self._pace.exposure_s + recycle + self._extra_s + 0.3
        each = statistics.median(self.state.periods_s) if len(self.state.periods_s) > 1 else planned
        return each * (len(self.rungs.todo) - self.done)

    def view(self, take_id: int, stack_id: int) -> RunView:
        """For the page."""
        state, total = self.state, len(self.rungs.positions_um)
        return RunView(
            take_id, stack_id, "run", state.phase, round(max(state.until_s - self._clock.now_s(), 0.0), 2),
            self.controls.paused.is_set(), state.rung, total - len(self.rungs.todo) + self.done, total,
            round(self.seconds_left(), 1), state.said,
        )  # fmt: skip

    def first_um(self) -> float:
        """The nearest position that is still to be shot."""
        return min(self.rungs.positions_um[rung] for rung, _ in self.rungs.todo)

    def climb(self) -> None:
        """Shoot them all. Raises Stopped, DeviceTrouble, OutOfReach, StorageFull, DatabaseAway."""
        todo = deque(_Try(rung, attempt) for rung, attempt in self.rungs.todo)
        self._reach.check(self.first_um())
        self._reach.check(max(self.rungs.positions_um[one.rung] for one in todo))
        with ThreadPoolExecutor(max_workers=1, thread_name_prefix="keeping") as keeper:
            before: tuple[_Try, Future[bool]] | None = None
            began = self._clock.now_s()
            while todo or before:
                if todo and not self._ends_before(todo[0]):
                    self._go_to(todo[0].rung)
                if before:
                    # The frame before is written and judged while the rail moves and settles.
                    (tried, verdict), before = before, None
                    if verdict.result():
                        self._came_to = self._ended_s = None
                        todo.appendleft(_Try(tried.rung, tried.attempt + 1, midway=True))
                        continue
                    self.done += 1
                    self.state.periods_s.append(self._clock.now_s() - began)
                    began = self._clock.now_s()
                    self._told(self.done)
                if not todo:
                    return
                if self._ends_before(todo[0]):
                    raise Stopped("stopped after a rung")
                self._pause(todo[0])
                if self._came_to is None or self._came_to[0] != todo[0].rung:
                    continue  # the rail was moved during the pause
                one, reported_um = todo.popleft(), self._came_to[1]
                exposure = self._expose(one.rung)
                before = (one, keeper.submit(self._take_in, one, reported_um, exposure))

    def _ends_before(self, one: _Try) -> bool:
        """Whether the run is to end now: a rung that was begun is finished first, with a frame that is fit."""
        return self.controls.stop_after.is_set() and not one.midway

    def _go_to(self, rung: int) -> None:
        """To a rung, from the near side, and note when it came to rest and where that is."""
        target = self.rungs.positions_um[rung]
        self.state.rung = rung
        started = self._clock.now_s()
        if self._came_to is None or rung <= self._came_to[0]:
            if self._came_to is not None and self._came_to[0] == rung:
                return
            self._say("approach", 0.0)
            start = target - self._run_up_um
            start = start if self._reach.min_um is None else max(start, self._reach.min_um)
            self._rail.move_to(start, self.controls.stop)
        self._say("move", 0.0)
        self._came_to = rung, self._rail.move_to(target, self.controls.stop)
        self._rested_s = self._clock.now_s()
        self._moved_s = self._rested_s - started

    def _expose(self, rung: int) -> Exposure:
        self.state.rung = rung
        # The first frame is what the others are held to: it gets the time to be calm.
        calm_s = self._settle_s if self.done or self.state.overheads_s else max(self._settle_s, _CALM_S)
        calm_s, self._rest_s = calm_s + self._rest_s, 0.0
        self._wait("settle", self._rested_s + calm_s)
        self._wait("recycle", self._clock.now_s() + self._flash_wait_s() + self._extra_s)
        if self._ended_s is not None:
            # What went by beyond the rail's, the settling's and the flash's own time is the control's.
            needed = max(self._moved_s + self._settle_s, self._recycling_s + self._extra_s)
            self.state.overheads_s.append(self._clock.now_s() - self._ended_s - needed)
        self._say("expose", 0.0)
        exposure = self._exposed(rung)
        self._ended_s, self._recycling_s = self._clock.now_s(), self._flash_wait_s()
        return exposure

    def _exposed(self, rung: int) -> Exposure:
        while True:
            try:
                return self._camera.expose()
            except UnreadablePicture as error:
                self.controls.stop.check()
                self.state.said = f"Rung {rung + 1}: {error}. Release the camera again"

    def _flash_wait_s(self) -> float:
        return self._flash.ready_in_s() if self._flash else 0.0

    def _pause(self, following: _Try) -> None:
        if not self.controls.paused.is_set():
            return
        self._say("paused", 0.0)
        while self.controls.paused.is_set():
            self.controls.stop.check()
            if self._ends_before(following):
                raise Stopped("stopped after a rung")
            self._clock.wait(_LOOK_EVERY_S)
        self._ended_s = None
        self._came_to = None  # somebody may have moved the rail: approach again

    def _wait(self, phase: str, until_s: float) -> None:
        self._say(phase, until_s)
        while (left := until_s - self._clock.now_s()) > 0.0:
            self.controls.stop.check()
            self._clock.wait(min(left, _LOOK_EVERY_S))
        self.controls.stop.check()

    def _say(self, phase: str, until_s: float) -> None:
        self.state.phase, self.state.until_s = phase, until_s

    def _take_in(self, one: _Try, reported_um: float | None, exposure: Exposure) -> bool:
        """Judge one frame and hand it over; whether it is to be shot again: then it is left out, with the reason."""
        picture = decoded(exposure.content, raw=exposure.suffix in RAW_NAMES)
        suffix = f"_again{one.attempt}" if one.attempt else ""
        shot = Shot(
            f"rung_{one.rung + 1:04d}{suffix}{exposure.suffix}",
            picture.shape[1],
            picture.shape[0],
            exposure.bits,
            one.rung,
            self.rungs.positions_um[one.rung],
            reported_um,
        )
        stranger = why_unlike(shot, self._usual)
        faults = [] if stranger else self._judge.judge(picture, again=one.attempt > 0)
        again = one.attempt < self._pace.reshoots and bool(stranger or faults)
        if stranger:
            self._judge.forget()
            self.state.said = f"Rung {one.rung + 1} {stranger}: {'shot again' if again else 'left out'}"
        else:
            self._adjust(one, faults, again)
        reason = stranger or (faults[0].reason if faults and again else None)
        shot = replace(
            shot,
            faults=tuple(fault.kind for fault in faults),
            left_out=f"{reason}; shot again" if reason and again else reason,
        )
        self._keep(Taken(shot, exposure, picture, tuple(faults)))
        if shot.left_out is None:
            self._usual = self._usual or form_of(shot)
            self._judge.accept(fit=not faults)
        return again

    def _adjust(self, one: _Try, faults: list[FrameFault], again: bool) -> None:
        """What a frame's faults change for those to come."""
        if self._judge.calmed:
            settled = _LONGER * max(self._settle_s, _SHORT_S)
            self._settle_s = min(settled, self._pace.settle_s + _MOST_SETTLE_S)
        if not faults:
            return
        kinds = {fault.kind for fault in faults}
        if "shaken" in kinds and again:
            self._rest_s = _REST_S * (one.attempt + 1)
        if "dark" in kinds and self._flash:
            recycle_s = max(self._flash.recycle_s(self._flash.power), _SHORT_S)
            self._extra_s = min(self._extra_s + recycle_s, _MOST_RECYCLES * recycle_s)
        done = "shot again" if again else f"kept after {one.attempt + 1} tries"
        self.state.said = f"Rung {one.rung + 1} {faults[0].reason}: {done}"
