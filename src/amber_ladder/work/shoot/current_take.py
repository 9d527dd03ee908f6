"""The take that is being shot: a run over a ladder, or a burst by hand, with the picture that grows."""

import logging
import threading
from collections.abc import Callable
from functools import partial

from amber_ladder.core.planning import Reach
from amber_ladder.devices.clock import WallClock
from amber_ladder.devices.protocols import Camera
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import AmberLadderError, Conflict, NotFound, Stopped
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.shoot import takes
from amber_ladder.work.shoot.activities import Activities
from amber_ladder.work.shoot.burst import Burst
from amber_ladder.work.shoot.by_key import ByKey
from amber_ladder.work.shoot.growing import Growing
from amber_ladder.work.shoot.in_turn import InTurn
from amber_ladder.work.shoot.incoming import decoded
from amber_ladder.work.shoot.opening import Optical, open_hand_camera
from amber_ladder.work.shoot.orders import SIMULATED, BenchSettings, TurnOrder
from amber_ladder.work.shoot.rail_line import RailLine
from amber_ladder.work.shoot.run import Controls, Pace, Run, Taken
from amber_ladder.work.shoot.setup import Setup
from amber_ladder.work.shoot.stand_ins import bracket, turn_by_hand
from amber_ladder.work.shoot.take_ladder import rungs_of
from amber_ladder.work.shoot.views import GrowthView, RunView
from amber_ladder.work.stack.series import shots_of

_OVERSHOOT_UM = 300.0
log = logging.getLogger(__name__)


class CurrentTake:
    """At most one take at a time. ``leaving`` is set when the server ends: then a take is left to be taken up again."""

    def __init__(self, activities: Activities, line: RailLine) -> None:
        self.leaving = False
        self.run: Run | None = None
        self.picture: Growing | None = None
        self.turn: InTurn | None = None
        self.key: ByKey | None = None
        self.fired = threading.Event()
        self._burst: Burst | None = None
        self._shown: tuple[int, int] = (0, 0)
        self._task_id: int | None = None
        self._activities, self._line = activities, line

    @property
    def by_hand(self) -> bool:
        """Whether frames are gathered from the watched folder: the rail rests."""
        return self._gathering is not None

    @property
    def _gathering(self) -> Burst | InTurn | ByKey | None:
        return self._burst or self.turn or self.key

    @property
    def task_id(self) -> int | None:
        """The task of the take that is being shot, None for nothing."""
        return self._task_id

    def view(self) -> RunView | None:
        """What is being shot, None for nothing."""
        gathered, run = self._gathering, self.run
        if gathered:
            return gathered.view()
        return run.view(*self._shown) if run else None

    def growth(self) -> GrowthView | None:
        """How far the picture of the latest take has grown."""
        return self.picture.view() if self.picture else None

    def growing(self, take_id: int, what: str) -> bytes:
        """The growing picture or its depth as JPEG. Raises NotFound."""
        grown = self.picture.jpeg(what) if self.picture and self.picture.take_id == take_id else None
        if grown is None:
            raise NotFound("no picture grows for this take")
        return grown

    def pause(self, paused: bool) -> None:
        """Pause before the next rung, or go on. Raises Conflict without a run."""
        controls = self._running().controls
        (controls.paused.set if paused else controls.paused.clear)()

    def stop_after_rung(self) -> None:
        """Let the rung be finished, then end. Raises Conflict without a run."""
        gathered = self._gathering
        if gathered:
            gathered.stop.stop()
        else:
            self._running().controls.stop_after.set()

    def start_run(
        self,
        take_id: int,
        setup: Setup,
        optical: Optical,
        camera: Camera,
        bench: BenchSettings,
        reach: Reach,
        stop: StopToken,
    ) -> threading.Event:
        """Run what of the take's ladder is still to be shot; what is set at its end. Raises DeviceTrouble."""
        rail, store = self._line.rail(), FrameStore(settings().data)
        with transaction() as session:
            take = stacks.get_take(session, take_id)
            rungs, task_id = rungs_of(take), take.task_id or 0
            kept = [
                (store.original(frame.sha256, frame.suffix), shot.position_um)
                for frame, shot in zip(take.frames, shots_of(take), strict=True)
                if shot.left_out is None and shot.position_um is not None
            ]
        growing, total = self._new_picture(take_id), len(rungs.positions_um)

        def told(done: int) -> None:
            if not self.leaving:
                takes.report(task_id, total - len(rungs.todo) + done, total, run.seconds_left())

        def keep(taken: Taken) -> None:
            takes.keep_taken(store, take_id, taken)
            shot = taken.shot
            if shot.left_out is None and shot.position_um is not None:
                growing.add(taken.picture, shot.position_um)

        timing, plan_rail = setup.plan.timing, setup.plan.rail
        backlash_um = plan_rail.backlash_um if plan_rail else 0.0
        run = Run(
            rungs, rail, camera, optical.flash,
            pace=Pace(timing.settle_s, timing.exposure_s, backlash_um, bench.reshoots),
            reach=reach, clock=WallClock(), controls=Controls(stop), keep=keep, told=told,
        )  # fmt: skip

        def climb() -> str:
            for path, position_um in kept:
                growing.add(decoded(path.read_bytes()), position_um)
            if rungs.todo:
                told(0)
                start_um = run.first_um() - _OVERSHOOT_UM
                self._line.move_to(start_um if reach.lowest_um is None else max(start_um, reach.lowest_um), stop)
                run.climb()
            return ""

        self.run, self._shown = run, (take_id, setup.stack_id)
        return self._begin(f"shooting {setup.label}", task_id, take_id, climb, stop)

    def start_burst(self, take_id: int, setup: Setup, bench: BenchSettings, stop: StopToken) -> None:
        """Gather what comes into the take's folder. Raises BadInput when that is gone."""
        hand = partial(open_hand_camera, setup, bench) if bench.camera == "simulated" else None
        picture = self._new_picture(take_id, by_hand=True)
        burst = self._burst = Burst(take_id, setup, picture, hand, FrameStore(settings().data), stop)
        self._begin(f"gathering frames of {setup.label}", burst.task_id, take_id, burst.gather, stop)

    def start_turn(self, take_id: int, setup: Setup, bench: BenchSettings, stop: StopToken) -> None:
        """Gather what comes into the take's folder, rung by rung. Raises BadInput when that is gone."""
        with transaction() as session:
            by_itself = bool((stacks.get_take(session, take_id).run or {}).get("simulated"))
        self.fired.clear()
        simulated: Callable[[InTurn], None] | None = None
        if bench.camera == SIMULATED and setup.plan.mover == "body":
            simulated = partial(bracket, setup, bench)
        elif bench.camera == SIMULATED:
            fired = self.fired

            def simulated(take: InTurn) -> None:
                turn_by_hand(setup, bench, by_itself=by_itself, fired=fired, take=take)

        take = self.turn = InTurn(
            take_id, setup, self._new_picture(take_id), simulated, FrameStore(settings().data), stop
        )
        self._begin(f"shooting {setup.label}", take.task_id, take_id, take.gather, stop)

    def start_key(self, take_id: int, setup: Setup, stop: StopToken) -> None:
        """Call the rungs of a take whose frames come later."""
        key = self.key = ByKey(take_id, setup, stop)
        self._begin(f"shooting {setup.label}", key.task_id, take_id, key.gather, stop)

    def fire(self) -> None:
        """The knob is where it was called to: the simulated camera exposes, or the rung was shot by hand.

        Raises Conflict where none is called.
        """
        if self.key:
            self.key.press()
            return
        if self.turn is None or self.turn.called_um() is None:
            raise Conflict("no rung is called")
        self.fired.set()

    def order(self, entry: TurnOrder) -> None:
        """What a person at the knob says. Raises Conflict, BadInput."""
        called = self.turn or self.key
        if called is None:
            raise Conflict("no rung is called")
        called.order(entry)

    def _begin(
        self, what: str, task_id: int, take_id: int, work: Callable[[], str], stop: StopToken
    ) -> threading.Event:
        self._task_id = task_id
        return self._activities.begin(what, lambda: self._shot(task_id, take_id, work), stop)

    def _shot(self, task_id: int, take_id: int, work: Callable[[], str]) -> None:
        """Do the work of a take, which says what there is to say of its end, and write down how it ended."""
        state, message = "failed", ""
        try:
            log.info("take %s is shot (task %s)", take_id, task_id)
            message = work()
            state = "done"
        except Stopped as error:
            state, message = "stopped", str(error)
            raise
        except AmberLadderError as error:
            message = str(error)
            raise
        except Exception as error:
            message = f"our fault: {type(error).__name__}: {error}"
            raise
        finally:
            log.info("take %s: %s", take_id, state)
            self.run = self._burst = self.turn = self.key = self._task_id = None
            if not self.leaving:
                takes.end_take(task_id, take_id, state, message)

    def _running(self) -> Run:
        if self.run is None:
            raise Conflict("nothing is being shot")
        return self.run

    def _new_picture(self, take_id: int, *, by_hand: bool = False) -> Growing:
        if self.picture:
            self.picture.close()
        self.picture = Growing(take_id, by_hand=by_hand)
        return self.picture
