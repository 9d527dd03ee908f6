"""A run: approach from one side, settle, wait for the flash, shoot, check, go on; again where a frame is unfit."""

import statistics
import threading
import time
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import asdict, dataclass, field

from amber_ladder.bench.devices import Camera, Exposure, Flash, Rail
from amber_ladder.core.light import FrameFault, FrameJudge
from amber_ladder.core.planning import Reach
from amber_ladder.errors import Stopped, UnreadablePicture
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.bench.growing import Growing
from amber_ladder.work.bench.keeping import decoded, note_frame, picture_info
from amber_ladder.work.bench.views import RunView

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
    """What is to be shot: all positions of the take's ladder (µm), and which of them, with how often before."""

    positions_um: tuple[float, ...]
    todo: tuple[tuple[int, int], ...]


@dataclass(slots=True)
class Controls:
    """How a run is told to pause or stop, from any thread."""

    paused: threading.Event = field(default_factory=threading.Event)
    stop_after: threading.Event = field(default_factory=threading.Event)
    stop_now: threading.Event = field(default_factory=threading.Event)

    def check(self) -> None:
        """Raises Stopped once it was told to stop now."""
        if self.stop_now.is_set():
            raise Stopped("stopped by hand")


@dataclass(slots=True)
class State:
    """What a run does now, for the page; ``overheads_s`` is what its rungs took beyond the devices' own times."""

    phase: str = "approach"
    until_s: float = 0.0
    rung: int | None = None
    said: str = ""
    overheads_s: list[float] = field(default_factory=list)
    periods_s: deque[float] = field(default_factory=lambda: deque(maxlen=9))


class Run:
    """One run over some rungs of a take. ``told`` is called with the count of rungs done whenever it changes."""

    def __init__(
        self,
        take_id: int,
        rungs: Rungs,
        rail: Rail,
        camera: Camera,
        flash: Flash | None,
        *,
        reach: Reach,
        settle_s: float,
        exposure_s: float,
        backlash_um: float,
        reshoots: int,
        size_px: tuple[int, int],
        store: FrameStore,
        growing: Growing,
        told: Callable[[int], None],
    ) -> None:
        self.take_id, self.rungs = take_id, rungs
        self.controls, self.state = Controls(), State()
        self._rail, self._camera, self._flash = rail, camera, flash
        self._reach, self._exposure_s = reach, exposure_s
        self._settle_s = self._planned_settle_s = settle_s
        self._run_up_um = max(_LEAST_RUN_UP_UM, 2.0 * backlash_um)
        self._reshoots, self._judge = reshoots, FrameJudge(size_px)
        self._store, self._growing, self.told = store, growing, told
        self._came_to_um: float | None = None
        self._extra_s = self._rest_s = 0.0
        self._rested_s = self._moved_s = self._recycling_s = 0.0
        self._ended_s: float | None = None
        self.done = 0

    def seconds_left(self) -> float:
        """From what the last rungs took; before there are any, from the times that were planned."""
        recycle = self._flash.recycle_s(self._flash.power) if self._flash else 0.0
        planned = self._settle_s + self._exposure_s + recycle + self._extra_s + 0.3
        each = statistics.median(self.state.periods_s) if len(self.state.periods_s) > 1 else planned
        return each * (len(self.rungs.todo) - self.done)

    def view(self, stack_id: int) -> RunView:
        """For the page."""
        state, total = self.state, len(self.rungs.positions_um)
        return RunView(
            self.take_id, stack_id, "run", state.phase, round(max(state.until_s - time.monotonic(), 0.0), 2),
            self.controls.paused.is_set(), state.rung, total - len(self.rungs.todo) + self.done, total,
            round(self.seconds_left(), 1), state.said,
        )  # fmt: skip

    def first_um(self) -> float:
        """The nearest position that is still to be shot."""
        return min(self.rungs.positions_um[rung] for rung, _ in self.rungs.todo)

    def climb(self) -> None:
        """Shoot them all. Raises Stopped, DeviceTrouble, OutOfReach, StorageFull, DatabaseAway."""
        todo = deque(self.rungs.todo)
        last = max(self.rungs.positions_um[rung] for rung, _ in todo)
        self._reach.check(self.first_um())
        self._reach.check(last)
        with ThreadPoolExecutor(max_workers=1, thread_name_prefix="keeping") as keeper:
            before: tuple[int, int, Future[bool]] | None = None
            began = time.monotonic()
            while todo or before:
                if todo and not self.controls.stop_after.is_set():
                    self._go_to(todo[0][0])
                if before:
                    # The frame before is written and judged while the rail moves and settles.
                    rung, attempt, verdict = before
                    before = None
                    if verdict.result():
                        self._came_to_um = self._ended_s = None
                        todo.appendleft((rung, attempt + 1))
                        continue
                    self.done += 1
                    self.state.periods_s.append(time.monotonic() - began)
                    began = time.monotonic()
                    self.told(self.done)
                if not todo:
                    return
                if self.controls.stop_after.is_set():
                    raise Stopped("stopped after a rung")
                self._pause()
                if self._came_to_um != self.rungs.positions_um[todo[0][0]]:
                    continue  # the rail was moved during the pause
                rung, attempt = todo.popleft()
                exposure = self._expose(rung)
                before = (rung, attempt, keeper.submit(self._take_in, rung, attempt, exposure))

    def _go_to(self, rung: int) -> None:
        """To a rung, from the near side, and note when it came to rest."""
        target = self.rungs.positions_um[rung]
        self.state.rung = rung
        started = time.monotonic()
        if self._came_to_um is None or target <= self._came_to_um:
            if self._came_to_um == target:
                return
            self._say("approach", 0.0)
            start = target - self._run_up_um
            self._rail.move_to(start if self._reach.min_um is None else max(start, self._reach.min_um))
            self.controls.check()
        self._say("move", 0.0)
        self._rail.move_to(target)
        self.controls.check()
        self._came_to_um = target
        self._rested_s = time.monotonic()
        self._moved_s = self._rested_s - started

    def _expose(self, rung: int) -> Exposure:
        self.state.rung = rung
        # The first frame is what the others are held to: it gets the time to be calm.
        calm_s = self._settle_s if self.done or self.state.overheads_s else max(self._settle_s, _CALM_S)
        calm_s, self._rest_s = calm_s + self._rest_s, 0.0
        self._wait("settle", self._rested_s + calm_s)
        self._wait("recycle", time.monotonic() + self._flash_wait_s() + self._extra_s)
        if self._ended_s is not None:
            # What went by beyond the rail's, the settling's and the flash's own time is the control's.
            needed = max(self._moved_s + self._settle_s, self._recycling_s + self._extra_s)
            self.state.overheads_s.append(time.monotonic() - self._ended_s - needed)
        self._say("expose", 0.0)
        exposure = self._exposed(rung)
        self._ended_s, self._recycling_s = time.monotonic(), self._flash_wait_s()
        return exposure

    def _exposed(self, rung: int) -> Exposure:
        while True:
            try:
                return self._camera.expose()
            except UnreadablePicture as error:
                self.controls.check()
                self.state.said = f"Rung {rung + 1}: {error}. Release the camera again"

    def _flash_wait_s(self) -> float:
        return self._flash.ready_in_s() if self._flash else 0.0

    def _pause(self) -> None:
        if not self.controls.paused.is_set():
            return
        self._say("paused", 0.0)
        while self.controls.paused.is_set():
            self.controls.check()
            if self.controls.stop_after.is_set():
                raise Stopped("stopped after a rung")
            time.sleep(_LOOK_EVERY_S)
        self._ended_s = None
        self._came_to_um = None  # somebody may have moved the rail: approach again

    def _wait(self, phase: str, until: float) -> None:
        self._say(phase, until)
        while (left := until - time.monotonic()) > 0.0:
            self.controls.check()
            time.sleep(min(left, _LOOK_EVERY_S))
        self.controls.check()

    def _say(self, phase: str, until: float) -> None:
        self.state.phase, self.state.until_s = phase, until

    def _again(self, rung: int, attempt: int, faults: list[FrameFault]) -> bool:
        """Whether a frame is to be shot again, and what is changed for it."""
        if self._judge.calmed:
            settled = _LONGER * max(self._settle_s, _SHORT_S)
            self._settle_s = min(settled, self._planned_settle_s + _MOST_SETTLE_S)
        if not faults:
            return False
        kinds = {fault.kind for fault in faults}
        again = attempt < self._reshoots
        if "shaken" in kinds and again:
            self._rest_s = _REST_S * (attempt + 1)
        if "dark" in kinds and self._flash:
            recycle_s = max(self._flash.recycle_s(self._flash.power), _SHORT_S)
            self._extra_s = min(self._extra_s + recycle_s, _MOST_RECYCLES * recycle_s)
        done = "shot again" if again else f"kept after {attempt + 1} tries"
        self.state.said = f"Rung {rung + 1} {faults[0].reason}: {done}"
        return again

    def _take_in(self, rung: int, attempt: int, exposure: Exposure) -> bool:
        """Write, judge and note one frame; whether it is to be shot again. Then it stays, left out, with the reason."""
        received = self._store.receive([exposure.content])
        try:
            picture = decoded(exposure.content)
            faults = self._judge.judge(picture, again=attempt > 0)
            again = self._again(rung, attempt, faults)
            suffix = f"_again{attempt}" if attempt else ""
            note_frame(
                self._store,
                self.take_id,
                received,
                name=f"rung_{rung + 1:04d}{suffix}{exposure.suffix}",
                info=picture_info(picture, exposure),
                suffix=exposure.suffix,
                rung=rung,
                position_um=self.rungs.positions_um[rung],
                left_out=f"{faults[0].reason}; shot again" if again else None,
                faults=[asdict(fault) for fault in faults],
            )
        finally:
            self._store.drop(received)
        if not again:
            self._judge.accept(fit=not faults)
            self._growing.add(picture, self.rungs.positions_um[rung])
        return again
