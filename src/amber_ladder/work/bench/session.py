"""The bench while the server runs: one rail, one camera, one flash, and one thing at a time that uses them."""

import logging
import shutil
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import timedelta

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.bench.devices import Flash, Rail
from amber_ladder.core.focus import in_focus
from amber_ladder.core.light import read_light, room_light
from amber_ladder.core.optics import flash_changed_by, power_setting
from amber_ladder.core.planning import Reach
from amber_ladder.errors import AmberLadderError, BadInput, Conflict, DeviceTrouble, NotFound, Stopped
from amber_ladder.settings import settings
from amber_ladder.store import bench as bench_store
from amber_ladder.store import rigs, stacks, tasks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Stack, Take, Task, now
from amber_ladder.work.bench import preflight
from amber_ladder.work.bench.burst import Burst
from amber_ladder.work.bench.devices import (
    Optical,
    Setup,
    open_hand_camera,
    open_optical,
    open_rail,
    scene_for,
    setup_for,
    watched_folder,
)
from amber_ladder.work.bench.folder_camera import FolderCamera
from amber_ladder.work.bench.growing import Growing
from amber_ladder.work.bench.keeping import decoded, patiently
from amber_ladder.work.bench.rungs import new_ladder, rungs_of
from amber_ladder.work.bench.running import Run
from amber_ladder.work.bench.sweeping import sweep
from amber_ladder.work.bench.views import (
    SIMULATED,
    BenchChange,
    BenchSettings,
    BenchView,
    BurstEntry,
    EndsView,
    FlashEntry,
    FlashView,
    GrowthView,
    MoveEntry,
    PreflightItem,
    RailView,
    RoomView,
    RunEntry,
    RunView,
    TestFrameView,
)
from amber_ladder.work.views import TakeView, stack_plan, stack_rig, take_view

log = logging.getLogger(__name__)

_USUAL_POWER = 0.125
_RESUME_WITHIN = timedelta(minutes=30)
_HAND_OVER_S = 10.0
_OVERSHOOT_UM = 300.0
_RAIL_STARTS_S = 30.0
LIVE_WIDTH_PX = 704


@dataclass(slots=True)
class _Activity:
    """What uses the devices now, in a thread of its own."""

    what: str
    stop: Callable[[], None]
    ended: threading.Event = field(default_factory=threading.Event)


@dataclass(frozen=True, slots=True)
class LiveFrame:
    """One moment of the live view: JPEG of the field, PNG of the edges in focus, JPEG of the loupe, and the figures."""

    picture: bytes
    edges: bytes
    loupe: bytes
    sharpness: float | None
    position_um: float | None
    moving: bool
    run: RunView | None
    growth: GrowthView | None
    ready_in_s: float


class Bench:
    """All that the page Shoot asks for. Everything may be called from any thread."""

    def __init__(self) -> None:
        self._turn = threading.RLock()
        self._rail_turn = threading.RLock()
        self._rail: Rail | None = None
        self._rail_trouble: str | None = None
        self._setup: Setup | None = None
        self._optical: Optical | None = None
        self._activity: _Activity | None = None
        self._run: Run | None = None
        self._burst: Burst | None = None
        self._growing: Growing | None = None
        self._ends: EndsView | None = None
        self._test: TestFrameView | None = None
        self._test_jpeg: bytes = b""
        self._room: RoomView | None = None
        self._said: str | None = None
        self._moving = False

    # What is there

    def view(self) -> BenchView:
        """The bench as it is now."""
        bench = self._settings()
        setup, optical = self._setup, self._optical
        return BenchView(
            bench,
            setup.stack_id if setup else None,
            setup.label if setup else None,
            self._activity.what if self._activity else None,
            bench.rail == SIMULATED,
            bool(optical and optical.live),
            self._rail_view(bench),
            self._flash_view(),
            self._ends,
            self._test,
            self._room,
            self._growing.view() if self._growing else None,
            self._run_view(),
            self._said,
        )

    def set_up(self, stack_id: int) -> BenchView:
        """Set the bench up for a stack. Raises NotFound, and Conflict while it works for another."""
        with self._turn:
            if self._setup is None or self._setup.stack_id != stack_id or self._plan_changed(stack_id):
                self._free(f"the bench is busy: {self._activity.what if self._activity else ''}")
                self._mount(stack_id)
        self._told()
        return self.view()

    def change(self, change: BenchChange) -> BenchView:
        """Change what stands on the bench. Raises BadInput, Conflict while it works."""
        with self._turn:
            self._free("the bench is busy: change it once that is over")
            before = self._settings()
            given = change.model_dump(exclude_none=True)
            after = BenchSettings.model_validate({**before.model_dump(), **given})
            if after.folder and not watched_folder(after).is_dir():
                raise BadInput(f"there is no folder {after.folder}: make it first, or name another", field="folder")
            with transaction() as session:
                bench_store.save(session, after.model_dump())
            if {"rail", "flaws"} & given.keys():
                self._drop_rail()
            if self._setup and {"camera", "scene", "flaws", "rail"} & given.keys():
                self._mount(self._setup.stack_id)
        self._told()
        return self.view()

    def connect(self) -> BenchView:
        """Connect to the rail anew. Raises DeviceTrouble."""
        with self._turn:
            self._free("the bench is busy: stop that first")
            self._drop_rail()
            self._the_rail()
        self._told()
        return self.view()

    # The rail

    def move(self, entry: MoveEntry) -> BenchView:
        """Begin to move; a move that is going on is stopped first. Raises OutOfReach, Conflict, DeviceTrouble."""
        with self._turn:
            if self._activity and self._activity.what != "moving":
                raise Conflict(f"the bench is busy: {self._activity.what}")
            self._stop_moving()
            rail, reach = self._the_rail(), self._reach()
            if entry.place == "home":
                self._begin("moving", rail.home, rail.stop)
                return self.view()
            target = self._target(entry, rail)
            reach.check(target)
            self._begin("moving", lambda: self._move_homed(rail, target), rail.stop)
        return self.view()

    def halt(self) -> BenchView:
        """Stop the rail at once; a run or a sweep is stopped with it."""
        activity = self._activity
        if activity:
            activity.stop()
            activity.ended.wait(_HAND_OVER_S)
        return self.view()

    # Ends

    def find_ends(self) -> BenchView:
        """Sweep through the specimen and find where it begins and ends. Raises Conflict, DeviceTrouble."""
        with self._turn:
            setup, optical = self._mounted()
            if optical.live is None:
                raise Conflict("finding the ends needs a live view: mark them by hand")
            live = optical.live
            self._free("the bench is busy: stop that first")
            rail, reach, leaving = self._the_rail(), self._reach(), threading.Event()

            def work() -> None:
                sharp_um = setup.ladder.sharp_depth_stage_um
                found = sweep(lambda to: self._move_homed(rail, to), rail, live, reach, sharp_um, leaving)
                self._ends = EndsView(found.near_um, found.far_um, found.passed_near, found.passed_far)

            def stop() -> None:
                leaving.set()
                rail.stop()

            self._ends = None
            self._begin("finding the ends", work, stop)
        return self.view()

    # Light

    def set_flash(self, entry: FlashEntry) -> BenchView:
        """Set the flash. Raises Conflict without one."""
        flash = self._flash()
        if entry.power is not None:
            if self._test and self._test.power != entry.power:
                self._test = None
            flash.power = entry.power
        if entry.on is not None:
            flash.on = entry.on
        self._told()
        return self.view()

    def test_frame(self) -> BenchView:
        """Shoot a frame that belongs to no take, and judge its light. Raises Conflict, DeviceTrouble."""
        with self._turn:
            flash, content = self._flash(), self._try_out(True)
            reading = read_light(decoded(content))
            change = flash_changed_by(reading.change_stops, flash.power)
            number = self._test.number + 1 if self._test else int(time.time())
            power = change.power or (1.0 if change.missing_stops > 0 and reading.change_stops > 0 else None)
            self._test_jpeg = content
            self._test = TestFrameView(
                number, flash.power, reading, change.setting, power, change.missing_stops,
                flash.recycle_s(power or flash.power),
            )  # fmt: skip
        self._told()
        return self.view()

    def room_frame(self) -> BenchView:
        """Shoot a frame with the flash off: it must be black. Raises Conflict, DeviceTrouble."""
        with self._turn:
            level = {} if self._test is None else {"flash_level": max(self._test.reading.level, 1e-3)}
            found = room_light(decoded(self._try_out(False)), **level)
            self._room = RoomView(found.black, found.stops)
        self._told()
        return self.view()

    def test_picture(self) -> bytes:
        """The last test frame. Raises NotFound."""
        if not self._test_jpeg:
            raise NotFound("no test frame was shot yet")
        return self._test_jpeg

    # Runs

    def preflight(self, stack_id: int) -> list[PreflightItem]:
        """What must be so before a run. Raises NotFound."""
        with self._turn:
            if self._setup is None or self._setup.stack_id != stack_id:
                self.set_up(stack_id)
            setup, _ = self._mounted()
            with transaction() as session:
                stack = stacks.get_stack(session, stack_id)
                unread = [one.title for one in preflight.unread_cautions(stack)]
            free = shutil.disk_usage(settings().data).free
            flash = self._optical.flash if self._optical else None
            return preflight.items(
                setup, self._settings(), self._reach(), self._rail_trouble_now(), unread, free,
                ends=self._ends, test=self._test, room=self._room, flash=flash,
            )  # fmt: skip

    def begin_run(self, stack_id: int, entry: RunEntry) -> TakeView:
        """Begin a take and run its ladder. Raises Conflict, OutOfReach, DeviceTrouble, NotFound."""
        with self._turn:
            self._free(f"the bench is busy: {self._activity.what if self._activity else ''}. Wait for it or stop it")
            self.set_up(stack_id)
            setup, _ = self._mounted()
            reach = self._reach()
            with transaction() as session:
                stack = stacks.get_stack(session, stack_id)
                if any(one.task and one.task.state not in tasks.ENDED for one in stack.takes):
                    raise Conflict("this ladder is being shot already: wait for it or stop it first")
                ladder = new_ladder(stack, setup, entry)
                for position in (ladder.positions_um[0], ladder.positions_um[-1]):
                    reach.check(position)
                missing = [item.title for item in self._unconfirmed(stack_id, entry)]
                if missing:
                    raise Conflict(f"before the run: {'; '.join(missing)}. See to it, or confirm it on the list")
                read = [
                    {"key": one.key, "title": one.title, "read_at": now().isoformat(timespec="seconds")}
                    for one in preflight.unread_cautions(stack)
                ]
                stack.cautions_read = [*stack.cautions_read, *read]
                self._the_rail()
                task = Task(kind=tasks.RUN, total=len(ladder.positions_um))
                take = Take(source="bench", scene=self._scene(), task=task, run=ladder.as_json())
                stacks.add_take(session, stack, take)
                for rung, frame_id in ladder.taken_over:
                    stacks.take_over(session, take, frame_id, rung=rung, position_um=ladder.positions_um[rung])
                tasks.announce(session, task)
                take_id = take.id
            self._start_run(take_id)
        with transaction() as session:
            return take_view(stacks.get_take(session, take_id))

    def resume(self, take_id: int) -> TakeView:
        """Go on with a run that was cut off, at its next missing rung. Raises Conflict, DeviceTrouble, NotFound."""
        with self._turn:
            self._free(f"the bench is busy: {self._activity.what if self._activity else ''}")
            with transaction() as session:
                take = stacks.get_take(session, take_id)
                if not take.run or take.complete or take.task is None:
                    raise Conflict("this take is over: shoot what is missing as a new take beside it")
                take.task.state, take.task.stop_requested, take.task.message = "running", False, ""
                take.task.ended_at = None
                tasks.announce(session, take.task)
                stack_id, burst = take.stack_id, take.source == "folder"
            self.set_up(stack_id)
            if burst:
                self._start_burst(take_id)
            else:
                self._the_rail()
                self._start_run(take_id)
        with transaction() as session:
            return take_view(stacks.get_take(session, take_id))

    def begin_burst(self, stack_id: int, entry: BurstEntry) -> TakeView:
        """Take frames from the watched folder as they come, by hand or in haste. Raises Conflict, BadInput."""
        with self._turn:
            self._free(f"the bench is busy: {self._activity.what if self._activity else ''}")
            self.set_up(stack_id)
            folder = watched_folder(self._settings())
            with transaction() as session:
                stack = stacks.get_stack(session, stack_id)
                task = Task(kind=tasks.RUN)
                there = sorted(path.name for path in folder.iterdir())
                run = {**entry.model_dump(), "folder": str(folder), "there": there, "began": now().isoformat()}
                take = Take(source="folder", task=task, run=run)
                stacks.add_take(session, stack, take)
                tasks.announce(session, task)
                take_id = take.id
            self._start_burst(take_id)
        with transaction() as session:
            return take_view(stacks.get_take(session, take_id))

    def pause(self, paused: bool) -> BenchView:
        """Pause before the next rung, or go on. Raises Conflict without a run."""
        run = self._running()
        (run.controls.paused.set if paused else run.controls.paused.clear)()
        self._told()
        return self.view()

    def stop_after_rung(self) -> BenchView:
        """Let the rung be finished, then end. Raises Conflict without a run."""
        if self._burst:
            self._burst.leaving.set()
        else:
            self._running().controls.stop_after.set()
        self._told()
        return self.view()

    def growing(self, take_id: int, what: str) -> bytes:
        """The growing picture or its depth as JPEG. Raises NotFound."""
        grown = self._growing.jpeg(what) if self._growing and self._growing.take_id == take_id else None
        if grown is None:
            raise NotFound("no picture grows for this take")
        return grown

    def take_up_again(self) -> None:
        """At the start: go on with what was cut off lately; older runs wait for a person's word."""
        with transaction() as session:
            left = [
                (task_id, stacks.take_of(session, stacks.get_task(session, task_id)))
                for task_id in tasks.unfinished(session, of_bench=True)
            ]
            lately = {take.id: preflight.last_sign(take) > now() - _RESUME_WITHIN for _, take in left}
        for task_id, take in left:
            try:
                self._wait_for_rail()
                if not lately[take.id]:
                    raise Conflict(
                        "cut off a while ago: it does not go on by itself, for hands may be on the bench. "
                        "Go on with it, or leave it as it is"
                    )
                self.resume(take.id)
            except AmberLadderError as error:
                self._end_task(task_id, "failed", str(error))

    def close(self) -> None:
        """Let go of everything; a run that is going on is taken up again at the next start."""
        activity = self._activity
        if self._run:
            self._run.told = lambda _: None
        if activity:
            self._leaving = True
            activity.stop()
            activity.ended.wait(2.0)
        if self._optical:
            self._optical.close()
        if self._rail:
            self._rail.close()

    _leaving = False

    # Live view

    def live_frame(self, loupe: tuple[float, float] | None, width_px: int = LIVE_WIDTH_PX) -> LiveFrame:
        """What the camera sees now."""
        optical = self._optical
        picture = edges = magnified = b""
        sharpness: float | None = None
        if optical and optical.live:
            try:
                rgb = optical.live.live(width_px)
                focus = in_focus(_grey(rgb))
                picture, edges, sharpness = _jpeg(rgb), _marks(focus.edges), focus.sharpness
                magnified = _jpeg(optical.live.loupe(*loupe, 300)) if loupe else b""
            except DeviceTrouble:
                picture = edges = b""
        flash = optical.flash if optical else None
        return LiveFrame(
            picture, edges, magnified, sharpness, self._position(), self._moving or self._run is not None,
            self._run_view(), self._growing.view() if self._growing else None,
            flash.ready_in_s() if flash else 0.0,
        )  # fmt: skip

    # Inside

    def _settings(self) -> BenchSettings:
        with transaction() as session:
            return BenchSettings.model_validate(bench_store.load(session))

    def _scene(self) -> str | None:
        bench = self._settings()
        return scene_for(self._mounted()[0], bench) if bench.camera == "simulated" else None

    def _plan_changed(self, stack_id: int) -> bool:
        if self._activity or self._setup is None:
            return False
        with transaction() as session:
            stack = stacks.get_stack(session, stack_id)
            return stack_plan(stack) != self._setup.plan or stack_rig(stack) != self._setup.rig

    def _mount(self, stack_id: int) -> None:
        bench = self._settings()
        with transaction() as session:
            stack = stacks.get_stack(session, stack_id)
            setup = _setup(stack)
            on_bench = rigs.on_bench(session)
            power = on_bench.flash_power if on_bench and on_bench.flash_power else _USUAL_POWER
            if str(stack_id) not in bench.lies_um:
                lies = dict(list(bench.lies_um.items())[-200:])
                bench = bench.model_copy(update={"lies_um": {**lies, str(stack_id): setup.plan.near_um}})
                bench_store.save(session, bench.model_dump())
        same = self._setup is not None and self._setup.stack_id == stack_id
        if same and self._optical and self._optical.flash:
            power = self._optical.flash.power
        if self._optical:
            self._optical.close()
        self._optical = open_optical(setup, bench, self._the_rail, power)
        if not same:
            self._ends = self._test = self._room = None
        self._setup = setup

    def _mounted(self) -> tuple[Setup, Optical]:
        if self._setup is None or self._optical is None:
            raise Conflict("the bench is not set up for a stack yet: open its Shoot page")
        return self._setup, self._optical

    def _reach(self) -> Reach:
        return self._setup.reach(simulated=self._settings().rail == SIMULATED) if self._setup else Reach()

    def _flash(self) -> Flash:
        _, optical = self._mounted()
        if optical.flash is None:
            raise Conflict("no flash is connected: set it by hand, and judge the light in the first frame")
        return optical.flash

    def _the_rail(self) -> Rail:
        """The rail, connected. Raises DeviceTrouble, and remembers it."""
        with self._rail_turn:  # its own: the rail can be asked where it is while a scene is still being built
            if self._rail is None:
                try:
                    self._rail = open_rail(self._settings())
                    self._rail_trouble = None
                except DeviceTrouble as error:
                    self._rail_trouble = str(error)
                    raise
            return self._rail

    def _wait_for_rail(self) -> None:
        """A station that starts brings up its simulated rail at the same time."""
        end = time.monotonic() + _RAIL_STARTS_S
        while self._position() is None and time.monotonic() < end:
            time.sleep(0.2)

    def _drop_rail(self) -> None:
        if self._rail:
            self._rail.close()
        self._rail = None

    def _position(self) -> float | None:
        try:
            return self._the_rail().position_um()
        except DeviceTrouble as error:
            log.info("the rail: %s", error)
            self._rail_trouble = str(error)
            if self._activity is None:
                self._drop_rail()  # else what uses it meets the same trouble, and says what came of it
            return None

    def _rail_trouble_now(self) -> str | None:
        return None if self._position() is not None else self._rail_trouble

    def _rail_view(self, bench: BenchSettings) -> RailView:
        position, reach = self._position(), self._reach()
        rail = self._setup.plan.rail if self._setup else None
        return RailView(
            bench.rail,
            None if position is not None else self._rail_trouble,
            position,
            reach.lowest_um,
            reach.highest_um,
            rail.click_um if rail else None,
            reach.free_um(position) if position is not None else None,
        )

    def _flash_view(self) -> FlashView | None:
        flash = self._optical.flash if self._optical else None
        if flash is None:
            return None
        return FlashView(
            flash.power, power_setting(flash.power), flash.on, flash.ready_in_s(), flash.recycle_s(flash.power)
        )

    def _run_view(self) -> RunView | None:
        if self._burst:
            return self._burst.view()
        run = self._run
        if run is None or self._setup is None:
            return None
        total = len(run.rungs.positions_um)
        return RunView(
            run.take_id, self._setup.stack_id, "run", run.state.phase,
            round(max(run.state.until_s - time.monotonic(), 0.0), 2), run.controls.paused.is_set(), run.state.rung,
            total - len(run.rungs.todo) + run.done, total, round(run.seconds_left(), 1), run.state.said,
        )  # fmt: skip

    def _target(self, entry: MoveEntry, rail: Rail) -> float:
        if entry.to_um is not None:
            return entry.to_um
        if entry.by_um is not None:
            return rail.position_um() + entry.by_um
        setup, _ = self._mounted()
        reach = self._reach()
        match entry.place:
            case "near":
                return setup.plan.near_um
            case "far":
                return setup.ladder.far_um
            case "park":
                return reach.lowest_um if reach.lowest_um is not None else min(rail.position_um(), setup.plan.near_um)
            case _:
                raise BadInput("say where to: a position, a distance, or a place", field="to_um")

    def _move_homed(self, rail: Rail, target_um: float) -> None:
        """Move; a rail that was switched on anew finds its end first, which lies away from the specimen."""
        try:
            rail.move_to(target_um)
        except DeviceTrouble as error:
            if "not homed" not in str(error):
                raise
            rail.home()
            rail.move_to(target_um)

    def _free(self, otherwise: str) -> None:
        if self._activity and self._activity.what == "moving":
            self._stop_moving()
        if self._activity:
            raise Conflict(otherwise)

    def _stop_moving(self) -> None:
        activity = self._activity
        if activity:
            activity.stop()
            if not activity.ended.wait(_HAND_OVER_S):
                raise DeviceTrouble("the rail does not stop: switch it off")

    def _begin(self, what: str, work: Callable[[], None], stop: Callable[[], None]) -> None:
        activity = self._activity = _Activity(what, stop)
        self._moving = True
        self._said = None

        def thread() -> None:
            try:
                work()
            except Stopped:
                pass
            except DeviceTrouble as error:
                self._said = self._rail_trouble = str(error)
                self._drop_rail()
            except AmberLadderError as error:
                self._said = str(error)
            except Exception as error:
                log.exception("%s failed", what)
                self._said = f"our fault: {type(error).__name__}: {error}"
            finally:
                self._moving = False
                self._activity = None
                activity.ended.set()
                self._told()

        threading.Thread(target=thread, name=what, daemon=True).start()
        self._told()

    def _try_out(self, flash_on: bool) -> bytes:
        self._free("the bench is busy: stop that first")
        _, optical = self._mounted()
        if optical.camera is None:
            raise Conflict("this camera fires by itself: put a test frame into the watched folder")
        flash = self._flash()
        was_on, flash.on = flash.on, flash_on
        try:
            time.sleep(flash.ready_in_s())
            return bytes(optical.camera.expose().content)
        finally:
            flash.on = was_on

    def _unconfirmed(self, stack_id: int, entry: RunEntry) -> list[PreflightItem]:
        return [
            item
            for item in self.preflight(stack_id)
            if item.state == "stop" or (item.state == "confirm" and item.key not in entry.confirmed)
        ]

    def _start_run(self, take_id: int) -> None:
        setup, optical = self._mounted()
        bench, rail = self._settings(), self._the_rail()
        store = FrameStore(settings().data)
        with transaction() as session:
            take = stacks.get_take(session, take_id)
            rungs = rungs_of(take)
            task_id = take.task_id or 0
            kept = [
                (store.original(frame.sha256, frame.suffix), frame.position_um or 0.0)
                for frame in take.frames
                if frame.left_out is None
            ]
        self._new_growing(take_id)
        growing = self._growing
        assert growing is not None
        camera = optical.camera or FolderCamera(watched_folder(bench))
        done_before = len(rungs.positions_um) - len(rungs.todo)

        def told(done: int) -> None:
            if not self._leaving:
                self._report(task_id, done_before + done, len(rungs.positions_um), run.seconds_left())

        timing = setup.plan.timing
        run = Run(
            take_id, rungs, rail, camera, optical.flash,
            reach=self._reach(), settle_s=timing.settle_s, exposure_s=timing.exposure_s,
            backlash_um=setup.plan.rail.backlash_um if setup.plan.rail else 0.0, reshoots=bench.reshoots,
            size_px=(setup.rig.sensor.width_px, setup.rig.sensor.height_px), store=store, growing=growing, told=told,
        )  # fmt: skip
        self._run = run

        def work() -> None:
            try:
                for path, position_um in kept:
                    growing.add(decoded(path.read_bytes()), position_um)
                if rungs.todo:
                    told(0)
                    self._climb_homed(run, rail)
                self._end_run(task_id, take_id, "done", "")
            except Stopped as error:
                self._end_run(task_id, take_id, "stopped", str(error))
            except DeviceTrouble as error:
                self._end_run(task_id, take_id, "failed", str(error))
                raise
            except AmberLadderError as error:
                self._end_run(task_id, take_id, "failed", str(error))
            except Exception as error:
                log.exception("the run failed")
                self._end_run(task_id, take_id, "failed", f"our fault: {type(error).__name__}: {error}")
            finally:
                self._run = None

        def stop() -> None:
            run.controls.stop_now.set()
            rail.stop()

        self._begin(f"shooting {setup.label}", work, stop)

    def _climb_homed(self, run: Run, rail: Rail) -> None:
        self._move_homed(rail, max(self._reach().lowest_um or 0.0, run.first_um() - _OVERSHOOT_UM))
        run.climb()

    def _start_burst(self, take_id: int) -> None:
        setup, _ = self._mounted()
        self._new_growing(take_id)
        growing = self._growing
        assert growing is not None
        hand = open_hand_camera(setup, self._settings())
        burst = Burst(take_id, setup, growing, hand, FrameStore(settings().data))
        self._burst = burst

        def work() -> None:
            try:
                burst.gather()
                self._end_run(burst.task_id, take_id, "done", "")
            except AmberLadderError as error:
                self._end_run(burst.task_id, take_id, "failed", str(error))
            except Exception as error:
                log.exception("the burst failed")
                self._end_run(burst.task_id, take_id, "failed", f"our fault: {type(error).__name__}: {error}")
            finally:
                self._burst = None

        self._begin(f"gathering frames of {setup.label}", work, burst.leaving.set)

    def _new_growing(self, take_id: int) -> None:
        if self._growing:
            self._growing.close()
        self._growing = Growing(take_id)

    def _running(self) -> Run:
        if self._run is None:
            raise Conflict("nothing is being shot")
        return self._run

    def _report(self, task_id: int, done: int, total: int, left: float) -> None:
        def write() -> None:
            with transaction() as session:
                task = stacks.get_task(session, task_id)
                tasks.set_progress(session, task, phase="shoot", done=done, total=total, seconds_left=left)

        patiently(write)

    def _end_run(self, task_id: int, take_id: int, state: str, message: str) -> None:
        if self._leaving:
            return  # the server ends, not the run: it is found unfinished at the next start

        def write() -> None:
            with transaction() as session:
                take = stacks.get_take(session, take_id)
                kept = [frame for frame in take.frames if frame.left_out is None]
                if state != "failed":
                    take.complete = len(kept) >= 2

        patiently(write)
        self._end_task(task_id, state, message)
        self._said = message or None

    def _end_task(self, task_id: int, state: str, message: str) -> None:
        def write() -> None:
            with transaction() as session:
                tasks.end(session, stacks.get_task(session, task_id), state, message)

        patiently(write)

    def _told(self) -> None:
        """Let the pages fetch the bench anew."""
        try:
            with transaction() as session:
                tasks.tell(session, "bench", {"busy": self._activity.what if self._activity else None})
        except AmberLadderError:
            pass  # they ask again when the database is back


def _setup(stack: Stack) -> Setup:
    specimen = stack.specimen
    label = f"{specimen.catalogue_number} {specimen.name}, stack {stack.number}"
    return setup_for(stack.id, label, specimen.kind, stack_rig(stack), stack_plan(stack), specimen.id)


def _grey(rgb: NDArray[np.uint8]) -> NDArray[np.float32]:
    return np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255)


def _jpeg(rgb: NDArray[np.uint8]) -> bytes:
    return bytes(cv2.imencode(".jpg", rgb[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 82])[1])


def _marks(edges: NDArray[np.bool_]) -> bytes:
    """Where edges are in focus, as a PNG that is amber there and clear elsewhere."""
    marks = np.zeros((*edges.shape, 4), np.uint8)
    marks[edges] = (52, 180, 242, 235)  # BGRA of #f2b43c
    return bytes(cv2.imencode(".png", marks, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1])
