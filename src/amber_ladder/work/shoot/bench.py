"""The bench while the server runs: one rail, one camera, one flash, and one thing at a time that uses them."""

import logging
import shutil
import threading
from contextlib import suppress
from functools import partial

from amber_ladder.devices.protocols import Camera
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import AmberLadderError, BadInput, Conflict, DeviceTrouble
from amber_ladder.formats.validated import validated
from amber_ladder.settings import settings
from amber_ladder.store import rigs, stacks, tasks
from amber_ladder.store.database import transaction
from amber_ladder.work.plan.cautions import unread_cautions
from amber_ladder.work.shoot import preflight, takes
from amber_ladder.work.shoot.activities import MOVING, Activities, check_begun
from amber_ladder.work.shoot.allowed import check_rail
from amber_ladder.work.shoot.claim import Claim
from amber_ladder.work.shoot.current_take import CurrentTake
from amber_ladder.work.shoot.cut_off import take_up_cut_off
from amber_ladder.work.shoot.find_ends import Search
from amber_ladder.work.shoot.folder_camera import FolderCamera, names_in
from amber_ladder.work.shoot.light import flash_view
from amber_ladder.work.shoot.light_orders import LightOrders
from amber_ladder.work.shoot.live import LiveFrame, look
from amber_ladder.work.shoot.mounting import Mounting
from amber_ladder.work.shoot.moves import rail_view, target_of
from amber_ladder.work.shoot.opening import check_practice, devices_of, reach_for, scene_for, watched_folder
from amber_ladder.work.shoot.orders import (
    SIMULATED,
    BenchChange,
    BenchSettings,
    BurstEntry,
    MoveEntry,
    RunEntry,
    TurnOrder,
)
from amber_ladder.work.shoot.rail_line import RailLine
from amber_ladder.work.shoot.setup import bench_settings, keep_settings, setup_of
from amber_ladder.work.shoot.stage import stage_view
from amber_ladder.work.shoot.stage_orders import StageOrders
from amber_ladder.work.shoot.take_ladder import TakeLadder, new_ladder
from amber_ladder.work.shoot.views import BenchView, EndsView, HoldView, PreflightItem, SearchView
from amber_ladder.work.stack.views import TakeView

log = logging.getLogger(__name__)

_LET_GO_S = 2.0


class Bench:
    """All that the page Shoot asks for. Everything may be called from any thread."""

    def __init__(self) -> None:
        self._turn = threading.RLock()
        self._line = RailLine(bench_settings)
        self._activities = Activities(told=self._tell, troubled=self._rail_failed)
        self._mounting = Mounting(self._line.rail)
        self._search: Search | None = None
        self._current = CurrentTake(self._activities, self._line)
        self._heading_um: float | None = None
        self.light = LightOrders(self._turn, self._activities, self._mounting, self._line, self._current, self._tell)
        self.stage = StageOrders(self._turn, self._activities, self._mounting, self._line, self._begin_next, self._tell)
        self.claim = Claim(working=lambda: self._activities.busy is not None, told=self._tell)

    # What is there

    def view(self) -> BenchView:
        """The bench as it is now."""
        bench = bench_settings()
        setup, optical = self._mounting.setup, self._mounting.optical
        return BenchView(
            bench,
            setup.stack_id if setup else None,
            setup.label if setup else None,
            self._activities.busy,
            bench.rail == SIMULATED,
            bool(optical and optical.live),
            rail_view(self._line, bench, setup, self._mounting.reach(), in_use=self._activities.busy is not None),
            self.stage.view(),
            flash_view(optical),
            self._mounting.ends,
            self._search_view(),
            self._mounting.light.test,
            self._mounting.light.room,
            self._mounting.light.diffuser,
            self._mounting.light.balance,
            self._mounting.light.place.entry if self._mounting.light.place else None,
            self.light.best,
            self._current.growth(),
            self._current.view(),
            self._activities.said,
            self.claim.view(),
        )

    def set_up(self, stack_id: int) -> BenchView:
        """Set the bench up for a stack. Raises NotFound, and Conflict while it works for another."""
        with self._turn:
            working = self._activities.busy is not None
            if not self._mounting.is_for(stack_id) or (not working and self._mounting.is_outdated()):
                self._activities.free()
                self._mounting.mount(stack_id)
        return self._now()

    def change(self, change: BenchChange) -> BenchView:
        """Change what stands on the bench. Raises Conflict while it works."""
        with self._turn:
            self._activities.free()
            before, given = bench_settings(), change.model_dump(exclude_none=True)
            after = validated(BenchSettings, {**before.model_dump(), **given})
            check_practice(after)
            if after.folder and "folder" in given:
                names_in(watched_folder(after))
            if after.rail != SIMULATED and "rail" in given:
                check_rail(after.rail)
            keep_settings(after)
            if {"rail", "flaws"} & given.keys():
                self._line.drop()
            if any(getattr(before, name) != getattr(after, name) for name in ("camera", "scene", "rail")):
                self._mounting.forget_findings()
            if any(getattr(before, name) != getattr(after, name) for name in ("lit_by", "diffused", "lamp_deg")):
                self._mounting.relight(after)
            if self._mounting.setup and {"camera", "scene", "flaws", "rail", "stage"} & given.keys():
                self._mounting.mount(self._mounting.setup.stack_id)
        return self._now()

    def connect(self) -> BenchView:
        """Connect to the rail anew. Raises DeviceTrouble."""
        with self._turn:
            self._activities.free()
            self._line.drop()
            self._line.rail()
        return self._now()

    def live_frame(self, loupe: tuple[float, float] | None) -> LiveFrame:
        """What the camera sees now, and the figures that change with every moment."""
        optical, busy = self._mounting.optical, self._activities.busy
        flash = optical.flash if optical else None
        return LiveFrame(
            look(optical.live if optical else None, loupe, self._mounting.light.place, self._mounting.lamp_deg),
            self._line.position_um(in_use=busy is not None),
            busy is not None and not self._current.by_hand,
            self._current.view(),
            self._current.growth(),
            flash.ready_in_s() if flash else 0.0,
            self._search_view(),
        )

    # The rail, and the ends

    def move(self, entry: MoveEntry) -> BenchView:
        """Begin to move; a move that is going on is stopped first. Raises OutOfReach, Conflict, DeviceTrouble.

        A distance counts from where the rail is heading: keys that are pressed quickly add up. A move that was told to
        stop while it waited for its turn does not begin.
        """
        stop = self._activities.ask(entry.hold)
        with self._turn:
            heading_um = self._heading_um if self._activities.busy == MOVING else None
            rail = self._line.rail()
            reach, at_um = self._mounting.reach(), rail.position_um() if heading_um is None else heading_um
            target = target_of(entry, at_um, self._mounting.setup, reach)
            reach.check(target)
            self._activities.free()

            def move() -> None:
                self._line.move_to(target, stop)

            if not stop.stopped:
                self._heading_um = target
                self._activities.begin(MOVING, move, stop)
        return self.view()

    def hold(self, hold: str) -> HoldView:
        """The key of a held move is still down; whether the move goes on."""
        return HoldView(self._activities.renew(hold))

    def release(self, hold: str) -> BenchView:
        """The key of a held move was let go."""
        self._activities.release(hold)
        return self.view()

    def halt(self) -> BenchView:
        """Stop the rail at once, and whatever was asked for before; a run or a sweep is stopped with it."""
        self._activities.stop()
        return self.view()

    def find_ends(self) -> BenchView:
        """Sweep through the specimen and find where it begins and ends. Raises Conflict, DeviceTrouble."""
        stop = self._activities.ask()
        with self._turn:
            setup, optical = self._mounting.needed()
            live = optical.live
            if live is None:
                raise Conflict("finding the ends needs a live view: mark them by hand")
            self._activities.free()
            search = Search(
                self._line.move_to, live, self._mounting.reach(),
                near_um=setup.plan.near_um, far_um=setup.ladder.far_um, sharp_um=setup.ladder.sharp_depth_stage_um,
            )  # fmt: skip

            def work() -> None:
                try:
                    found = search.ends(stop)
                    self._mounting.ends = EndsView(found.near_um, found.far_um, found.passed_near, found.passed_far)
                finally:
                    self._search = None

            self._line.rail()
            check_begun(stop)
            self._mounting.ends, self._search = None, search
            self._activities.begin("finding the ends", work, stop)
        return self.view()

    # Runs

    def preflight(self, stack_id: int) -> list[PreflightItem]:
        """What must be so before a run; looking at it changes nothing. Raises NotFound."""
        with transaction() as session:
            stack = stacks.get_stack(session, stack_id)
            setup, unread, rig = setup_of(stack), unread_cautions(stack), rigs.on_bench(session)
            on_bench = preflight.RigOnBench(rig.id, rig.name, rig.version) if rig else None
        bench, mounting = bench_settings(), self._mounting
        # What was found for another stack, or with another rig, tells nothing here.
        here = mounting.setup is not None and mounting.is_for(stack_id) and mounting.setup.rig == setup.rig
        away = self._line.position_um(in_use=self._activities.busy is not None) is None
        return preflight.items(
            setup, bench, reach_for(setup, bench), self._line.trouble if away else None, unread,
            shutil.disk_usage(settings().data).free,
            on_bench=on_bench, ends=mounting.ends if here else None, test=mounting.light.test if here else None,
            room=mounting.light.room if here else None,
            flash=mounting.optical.flash if here and mounting.optical else None,
            stage=stage_view(self.stage.stage, bench, setup),
        )  # fmt: skip

    def begin_run(self, stack_id: int, entry: RunEntry) -> TakeView:
        """Begin a take and run its ladder. Raises Conflict, OutOfReach, DeviceTrouble, NotFound, BadInput."""
        stop = self._activities.ask()
        with self._turn:
            self._activities.free()
            self.set_up(stack_id)
            setup, optical = self._mounting.needed()
            with transaction() as session:
                ladder = new_ladder(stacks.get_stack(session, stack_id), setup.ladder, entry)
            bench, mover = bench_settings(), setup.plan.mover
            if mover != "rail":
                self._check_confirmed(stack_id, entry)
                check_begun(stop)
                if entry.by_key:
                    return self._begin_by_key(stack_id, ladder, stop)
                hand = mover == "knob" and entry.simulated and bench.camera == SIMULATED
                scene = scene_for(setup, bench) if bench.camera == SIMULATED else None
                take_id = takes.add_run(
                    stack_id, ladder, scene=scene, devices=devices_of(bench, by=mover, simulated_hand=hand),
                    folder=watched_folder(bench), simulated=hand,
                )  # fmt: skip
                return takes.started(take_id, lambda: self._current.start_turn(take_id, setup, bench, stop))
            for position in (ladder.positions_um[0], ladder.positions_um[-1]):
                self._mounting.reach().check(position)
            with suppress(DeviceTrouble):  # tried at once, not in the background; the list below names what is silent
                self._line.rail()
            self._check_confirmed(stack_id, entry)
            # First: what cannot start does not begin a take.
            camera = optical.camera or FolderCamera(watched_folder(bench), stop)
            check_begun(stop)
            scene = scene_for(setup, bench) if bench.camera == SIMULATED else None
            stage = self.stage.view()
            devices = devices_of(
                bench, flash=optical.flash, best=self.light.best, stage_um=stage.at_um if stage else None
            )
            take_id = takes.add_run(stack_id, ladder, scene=scene, devices=devices,
                                     then_tiles=entry.confirmed if entry.then_tiles else None)  # fmt: skip
            return takes.started(take_id, partial(self._start_run, take_id, camera, stop))

    def _begin_by_key(self, stack_id: int, ladder: TakeLadder, stop: StopToken) -> TakeView:
        setup = self._mounting.needed()[0]
        if setup.plan.mover != "knob":
            raise BadInput("a key tells only where a knob was turned: a body brackets by itself", field="by_key")
        take_id = takes.add_run(
            stack_id, ladder, scene=None, devices={**devices_of(bench_settings(), by="knob"), "camera": "by key"},
            by_key=True,
        )  # fmt: skip
        return takes.started(take_id, lambda: self._current.start_key(take_id, setup, stop))

    def _start_run(self, take_id: int, camera: Camera, stop: StopToken) -> None:
        (setup, optical), bench = self._mounting.needed(), bench_settings()
        ended = self._current.start_run(take_id, setup, optical, camera, bench, self._mounting.reach(), stop)
        self.stage.follow(take_id, ended)

    def _begin_next(self, stack_id: int, confirmed: list[str]) -> TakeView:
        return self.begin_run(stack_id, RunEntry(then_tiles=True, confirmed=confirmed))

    def _check_confirmed(self, stack_id: int, entry: RunEntry) -> None:
        missing = preflight.unconfirmed(self.preflight(stack_id), entry.confirmed)
        if missing:
            raise Conflict(f"before the run: {'; '.join(missing)}. See to it, or confirm it on the list")

    def begin_burst(self, stack_id: int, entry: BurstEntry) -> TakeView:
        """Take frames from the watched folder as they come, by hand or in haste. Raises Conflict, BadInput."""
        stop = self._activities.ask()
        with self._turn:
            self._activities.free()
            self.set_up(stack_id)
            bench = bench_settings()
            check_begun(stop)
            devices = devices_of(bench, by="hand", simulated_hand=entry.simulated)
            take_id = takes.add_burst(stack_id, entry, watched_folder(bench), devices=devices)
            setup = self._mounting.needed()[0]
            return takes.started(take_id, lambda: self._current.start_burst(take_id, setup, bench, stop))

    def resume(self, take_id: int) -> TakeView:
        """Go on with a take that was cut off, a run at its next rung. Raises Conflict, DeviceTrouble, NotFound."""
        stop = self._activities.ask()
        with self._turn:
            self._activities.free()
            stack_id, how = takes.can_go_on(take_id)
            self.set_up(stack_id)
            (setup, optical), bench = self._mounting.needed(), bench_settings()
            if how == "run":
                self._line.rail()  # first: a take that cannot go on is not said to
                camera = optical.camera or FolderCamera(watched_folder(bench), stop)
            check_begun(stop)
            takes.goes_on(
                take_id, devices_of(bench, flash=optical.flash, best=self.light.best) if how == "run" else None
            )

            def start() -> None:
                if how == "burst":
                    self._current.start_burst(take_id, setup, bench, stop)
                elif how == "key":
                    self._current.start_key(take_id, setup, stop)
                elif how == "turn":
                    self._current.start_turn(take_id, setup, bench, stop)
                else:
                    self._start_run(take_id, camera, stop)

            return takes.started(take_id, start)

    def stop_task(self, task_id: int) -> None:
        """Stop the take of this task, if it is the one that is being shot."""
        if self._current.task_id == task_id:
            self._activities.stop()

    def pause(self, paused: bool) -> BenchView:
        """Pause before the next rung, or go on. Raises Conflict without a run."""
        self._current.pause(paused)
        return self._now()

    def stop_after_rung(self) -> BenchView:
        """Let the rung be finished, then end. Raises Conflict without a run."""
        self._current.stop_after_rung()
        return self._now()

    def turn(self, entry: TurnOrder) -> BenchView:
        """What a person at the knob says of the rungs. Raises Conflict, BadInput."""
        self._current.order(entry)
        return self._now()

    def fire(self) -> BenchView:
        """The knob is where it was called to: the simulated camera exposes, or a key was pressed. Raises Conflict."""
        self._current.fire()
        return self._now()

    def growing(self, take_id: int, what: str) -> bytes:
        """The growing picture or its depth as JPEG. Raises NotFound."""
        return self._current.growing(take_id, what)

    def take_up_again(self) -> None:
        """At the start: go on with what was cut off lately; older runs wait for a person's word."""
        take_up_cut_off(self._line, self.resume)

    def close(self) -> None:
        """Let go of everything; a run that is going on is taken up again at the next start."""
        self._current.leaving = True
        self._activities.stop(patience_s=_LET_GO_S)
        self._mounting.close()
        self._line.drop()

    def _now(self) -> BenchView:
        self._tell()
        return self.view()

    def _tell(self) -> None:
        """Let the pages fetch the bench anew."""
        try:
            with transaction() as session:
                tasks.tell(session, "bench", {"busy": self._activities.busy})
        except AmberLadderError:
            log.info("the pages are not told: they ask again when the database is back")

    def _rail_failed(self, why: str) -> None:
        self._line.drop()
        self._line.trouble = why

    def _search_view(self) -> SearchView | None:
        search = self._search
        return search.view() if search else None
