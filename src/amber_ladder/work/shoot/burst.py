"""Frames by hand, or in haste: whatever comes into the watched folder, with how much of the depth is covered so far."""

import threading
import time
from collections import deque
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from amber_ladder.core.focus import in_focus
from amber_ladder.core.planning import coverage_by_chance, frames_by_chance
from amber_ladder.core.sorting import form_of, usual_form
from amber_ladder.devices.protocols import Camera
from amber_ladder.devices.stopping import StopToken
from amber_ladder.devices.watched_folder import Arrival
from amber_ladder.errors import AmberLadderError, Conflict
from amber_ladder.store import stacks
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.shoot import takes
from amber_ladder.work.shoot.folder_take import StandIn, keep_file, shot_of, shown, small, watched
from amber_ladder.work.shoot.growing import Growing
from amber_ladder.work.shoot.own_frames import put_in_order
from amber_ladder.work.shoot.setup import Setup
from amber_ladder.work.shoot.views import RunView
from amber_ladder.work.stack.series import shots_of

_ENOUGH = 0.99
_LITTLE = 0.02  # a frame that brings less than this has shown nothing new
_LAST = 5
_SOMETHING = 0.002  # share of pixels in focus that makes a frame count


class Burst:
    """Gathers the frames of one take from the watched folder; taken up again, it knows which it has.

    ``hand`` opens a stand-in for the camera in somebody's hand, which takes seconds; None where a real one is used.
    Raises BadInput when the folder is gone.
    """

    def __init__(
        self,
        take_id: int,
        setup: Setup,
        growing: Growing,
        hand: Callable[[], Camera] | None,
        store: FrameStore,
        stop: StopToken,
    ) -> None:
        self.stop = stop
        self._take_id, self._setup, self._growing, self._store = take_id, setup, growing, store
        with transaction() as session:
            take = stacks.get_take(session, take_id)
            run: dict[str, Any] = dict(take.run or {})
            self.task_id = take.task_id or 0
            self._watched = watched(take)
            self._usual = usual_form(shots_of(take))
            self._before = [store.original(f.sha256, f.suffix) for f in take.frames if f.left_out is None]
        self._folder = self._watched.folder
        minutes = run.get("minutes")
        self._ends_at = datetime.fromisoformat(run["began"]) + timedelta(minutes=minutes) if minutes else None
        self._stop_when_covered = bool(run["stop_when_covered"])
        self._hand = hand if run.get("simulated") else None
        self._preparing = self._hand is not None
        self._sharp = 0
        self._count = 0
        self._gains: deque[float] = deque(maxlen=_LAST)
        self._said = ""
        ladder = setup.ladder
        self._depth_um = max(ladder.far_um - setup.plan.near_um, ladder.sharp_depth_stage_um)
        self._sharp_um = ladder.sharp_depth_stage_um

    @property
    def coverage(self) -> float:
        """The chance that a point of the depth is sharp in one of the frames so far."""
        return coverage_by_chance(self._sharp, depth_um=self._depth_um, sharp_um=self._sharp_um)

    def view(self) -> RunView:
        """For the page. ``seconds_left`` is the clock, not a reckoning."""
        left = (self._ends_at - now()).total_seconds() if self._ends_at else None
        needed = frames_by_chance(depth_um=self._depth_um, sharp_um=self._sharp_um, coverage=_ENOUGH)
        phase = "prepare" if self._preparing else "gather"
        return RunView(
            self._take_id, self._setup.stack_id, "burst", phase, 0.0, False, None, self._count, needed,
            None if left is None else max(left, 0.0), self._said, round(self.coverage, 4),
        )  # fmt: skip

    def gather(self) -> str:
        """Until it is covered, the time is over, or it is told to stop; says how it ended.

        Raises Conflict when nothing came.
        """
        clock = threading.Thread(target=self._watch_the_clock, daemon=True)
        clock.start()
        for path in self._before:  # what it had seen before it was cut off
            self._look_at(path)
        if self._hand:
            threading.Thread(target=self._fire, args=(self._hand,), daemon=True).start()
        for arrival in self._watched.arrivals(self.stop.event):
            self._take_in(arrival)
            if self._stop_when_covered and self.coverage >= _ENOUGH and self._nothing_new():
                self._said = "Covered: the last frames brought nothing new."
                self.stop.stop()
        # What was complete when the stop came still belongs to it.
        for arrival in self._watched.ready(time.monotonic()):
            self._take_in(arrival)
        with transaction() as session:
            take = stacks.get_take(session, self._take_id, locked=True)
            kept = sum(frame.left_out is None for frame in take.frames)
            if kept < 2:
                raise Conflict(f"{kept} usable frames came into {self._folder}: at least 2 are needed")
            put_in_order(take, None)
            take.run = {**(take.run or {}), "coverage": round(self.coverage, 4)}
        why = f"{self._said} " if self._said else ""
        return f"{why}{kept} frames cover {100 * self.coverage:.0f} % of the depth, by chance."

    def _take_in(self, arrival: Arrival) -> None:
        if arrival.reason:
            self._said = f"{arrival.path.name} {arrival.reason}: left in the folder"
            return
        path = arrival.path
        shot = shot_of(path, self._usual)
        if shot.left_out:
            self._said = f"{path.name} {shot.left_out}: left out"
        keep_file(self._store, self._take_id, path, shot)
        if shot.left_out is None:
            self._usual = self._usual or form_of(shot)
            self._look_at(path)
        view = self.view()
        takes.report(self.task_id, view.done, max(view.total, view.done), view.seconds_left)

    def _look_at(self, path: Path) -> None:
        """Count a frame, and let the picture grow with it; where it lies nobody knows, so it goes by its number."""
        picture = small(shown(path))
        grey = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255)
        sharp = float(in_focus(grey).edges.mean()) > _SOMETHING
        grown = self._growing.add_now(picture, float(self._count + 1))
        if grown:
            self._gains.append(grown.gained)
        # Together, and last: whoever looks meanwhile must not see a frame counted whose sharpness is not.
        self._sharp, self._count = self._sharp + sharp, self._count + 1

    def _nothing_new(self) -> bool:
        return len(self._gains) == _LAST and max(self._gains) < _LITTLE

    def _watch_the_clock(self) -> None:
        while not self.stop.stopped:
            left = (self._ends_at - now()).total_seconds() if self._ends_at else 1.0
            if left <= 0.0:
                self._said = "The time is over."
                self.stop.stop()
            self.stop.event.wait(min(max(left, 0.0), 0.5))

    def _fire(self, open_hand: Callable[[], Camera]) -> None:
        """Stand in for a tethered camera in somebody's hand: files into the watched folder."""
        try:
            hand, files = open_hand(), StandIn(self._folder, "hand")
            self._preparing = False
            while not self.stop.stopped:
                files.write(hand.expose())
        except (AmberLadderError, OSError) as error:
            self._said = f"The simulated camera fires no more: {error}."
        finally:
            self._preparing = False
