"""Rungs in turn from the watched folder: focus is moved by a hand on a knob, or by a body that brackets by itself."""

import statistics
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import replace
from pathlib import Path
from typing import Any

from amber_ladder.core.light import FrameJudge
from amber_ladder.core.sorting import Shot, form_of, usual_form
from amber_ladder.devices.stopping import StopToken
from amber_ladder.devices.watched_folder import Arrival
from amber_ladder.errors import AmberLadderError, BadInput, Conflict
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.shoot import takes
from amber_ladder.work.shoot.file_numbers import FileNumbers
from amber_ladder.work.shoot.folder_take import keep_file, shot_of, shown, small, watched
from amber_ladder.work.shoot.growing import Growing
from amber_ladder.work.shoot.orders import TurnOrder
from amber_ladder.work.shoot.picture_watch import PictureWatch
from amber_ladder.work.shoot.setup import Setup
from amber_ladder.work.shoot.take_ladder import rungs_of
from amber_ladder.work.shoot.turning import Corrected, OnRung, call_view, noted, put_on_rungs, rung_read
from amber_ladder.work.shoot.views import CallView, DoubtView, RunView
from amber_ladder.work.stack.series import shots_of

_LOOK_EVERY_S = 0.15
_QUIET_INTERVALS, _QUIET_S = 4.0, 3.0  # after so many of the usual intervals, and seconds, a series is over
_INTERVALS = 9


class InTurn:
    """Gathers the frames of one take, each for the rung whose turn it is; taken up again, it knows which it has.

    A hand is called from rung to rung, and tells what went wrong by :meth:`order`; a body's frames take their rungs by
    the numbers in their names. What the pictures tell against it is said as a doubt, and changes nothing by itself.
    ``simulated`` stands in for who moves the focus and shoots, and is given this; None where somebody real does.
    Raises BadInput when the folder is gone.
    """

    def __init__(
        self,
        take_id: int,
        setup: Setup,
        growing: Growing,
        simulated: "Callable[[InTurn], None] | None",
        store: FrameStore,
        stop: StopToken,
    ) -> None:
        self.stop = stop
        self.said = ""
        self.preparing = simulated is not None
        self.setup, self.folder = setup, Path()
        self._take_id, self._growing, self._simulated, self._store = take_id, growing, simulated, store
        with transaction() as session:
            take = stacks.get_take(session, take_id)
            self.task_id = take.task_id or 0
            self.watched = watched(take)
            rungs, shots = rungs_of(take), shots_of(take)
            there = set((take.run or {})["there"])
            self._positions = list(rungs.positions_um)
            self._usual = usual_form(shots)
            kept = [(frame, shot) for frame, shot in zip(take.frames, shots, strict=True) if shot.left_out is None]
            self._mine = [
                OnRung(frame.id, frame.rung, shot.position_um)
                for frame, shot in kept
                if frame.name not in there and frame.rung is not None and shot.position_um is not None
            ]
            self._over = {frame.rung: frame.id for frame, _ in kept if frame.name in there and frame.rung is not None}
            self._before = [(store.original(frame.sha256, frame.suffix), shot) for frame, shot in kept]
        self.folder = self.watched.folder
        self._turn = threading.RLock()
        self._todo_first = rungs.todo[0][0] if rungs.todo else 0
        self._called: int | None = self._todo_first if rungs.todo else None
        self._came_from_um: float | None = None
        self.calls = 1
        self._judge, self._watch, self._watched_from = FrameJudge(), PictureWatch(), 0
        self._numbers = FileNumbers(self._mine[-1].rung + 1 if self._mine else self._todo_first)
        self._last_s = time.monotonic()
        self._intervals: deque[float] = deque(maxlen=_INTERVALS)

    @property
    def by(self) -> str:
        """Who moves the focus: a knob's hand or a body."""
        return self.setup.plan.mover

    @property
    def positions_um(self) -> tuple[float, ...]:
        """The rungs, nearest first (µm)."""
        return tuple(self._positions)

    @property
    def first_um(self) -> float:
        """Where the first rung lies that is to be shot (µm)."""
        return self._positions[self._todo_first]

    def called_um(self) -> float | None:
        """Where the rung lies whose turn it is (µm), None when none is called."""
        with self._turn:
            return None if self._called is None else self._positions[self._called]

    def view(self) -> RunView:
        """For the page."""
        with self._turn:
            done, total = len(self._have()), len(self._positions)
            left_s = (total - done) * statistics.median(self._intervals) if self._intervals else None
            return RunView(
                self._take_id, self.setup.stack_id, "knob" if self.by == "knob" else "body", self._phase(), 0.0, False,
                self._called, done, total, left_s, self.said, None, self._call(), self.doubts(),
            )  # fmt: skip

    def doubts(self) -> list[DoubtView]:
        """What the pictures tell against the rungs that the frames were given."""
        with self._turn:
            seen = self._mine[self._watched_from :]
            same = [DoubtView("same", seen[n].rung, 1) for n in self._watch.same if n < len(seen)]
            passed = [
                DoubtView("passed", seen[n].rung, missing)
                for n, missing in self._watch.passed.items() if n < len(seen)
            ]  # fmt: skip
        return sorted(same + passed, key=lambda one: one.rung)

    def gather(self) -> str:
        """Until every rung has its frame and nothing is in doubt, or it is told to stop; says how it ended.

        Raises Conflict when nothing came.
        """
        for path, shot in self._before:  # what it had before it was cut off, or took over
            self._look_at(path, shot)
        if self._simulated:
            threading.Thread(target=self._stand_in, args=(self._simulated,), daemon=True).start()
        while not self.stop.stopped:
            for arrival in self.watched.ready(time.monotonic()):
                self._take_in(arrival)
            if self._is_over():
                break
            self.stop.event.wait(_LOOK_EVERY_S)
        for arrival in self.watched.ready(time.monotonic()):  # what was complete when the stop came belongs to it
            self._take_in(arrival)
        return self._ended()

    def order(self, entry: TurnOrder) -> None:
        """What a person at the knob says. Raises BadInput, and Conflict where there is no frame that it could mean."""
        with self._turn:
            match entry.order:
                case "call":
                    self._call_rung(self._rung(entry))
                case "again":
                    self._call_rung(self._last().rung)
                case "read":
                    self._read(entry.reading)
                case "passed":
                    self._shift(self._rung(entry), entry.count, f"{entry.count} passed over before rung")
                case "same":
                    self._drop_same(self._rung(entry))
                case "none":
                    raise Conflict("what came as a file was shot: leave it out in Sort, or shoot the rung again")
                case "right":
                    self._watch.settle(self._place(self._rung(entry)) - self._watched_from)

    # Inside

    def _stand_in(self, simulated: "Callable[[InTurn], None]") -> None:
        try:
            simulated(self)
        except (AmberLadderError, OSError) as error:
            self.said = f"The simulated camera fires no more: {error}."
        finally:
            self.preparing = False

    def _have(self) -> set[int]:
        return {*self._over, *(one.rung for one in self._mine)}

    def _phase(self) -> str:
        if self.preparing:
            return "prepare"
        if self.by == "knob":
            return "turn" if self._called is not None else "doubts"
        return "series" if not self._is_quiet() else "doubts" if len(self._have()) >= len(self._positions) else "quiet"

    def _call(self) -> CallView | None:
        if self._called is None or self.by != "knob":
            return None
        return call_view(
            self.setup, self._positions, self._called, self._came_from_um, again=self._called in self._have()
        )

    def _take_in(self, arrival: Arrival) -> None:
        path = arrival.path
        if arrival.reason:
            self.said = f"{path.name} {arrival.reason}: left in the folder"
            return
        shot = shot_of(path, self._usual)
        with self._turn:
            rung = self._rung_of(path.name)
            if rung is None:
                shot = replace(shot, left_out=shot.left_out or "came when no rung was called")
            else:
                shot = replace(shot, rung=rung, planned_um=self._positions[rung])
            self.said = f"{path.name} {shot.left_out}: left out" if shot.left_out else self.said
            if shot.left_out or rung is None:
                keep_file(self._store, self._take_id, path, shot)
                return
            picture = shown(path)
            again = any(one.rung == rung for one in self._mine)
            faults = self._judge.judge(picture, again=again)
            self._judge.accept(fit=not faults)
            if faults:
                self.said = f"Rung {rung + 1} {faults[0].reason}: shoot it again, or go on"
            shot = replace(shot, faults=tuple(fault.kind for fault in faults))
            frame_id = keep_file(self._store, self._take_id, path, shot, tuple(faults))
            self._replace(rung)  # only now: what is on the disk goes before what it replaces is left out
            if self._mine and rung != self._mine[-1].rung + 1:
                self._watch.apart()
            self._mine.append(OnRung(frame_id, rung, self._positions[rung]))
            self._usual = self._usual or form_of(shot)
            self._watch.add(picture, shot)
            self._growing.add(small(picture), self._positions[rung])
            now_s = time.monotonic()
            self._intervals.append(now_s - self._last_s)
            self._last_s = now_s
            if self.by == "knob":
                self._came_from_um = self._positions[rung]
                self._call_next(rung)
        view = self.view()
        takes.report(self.task_id, view.done, view.total, view.seconds_left)

    def _look_at(self, path: Path, shot: Shot) -> None:
        picture = shown(path)
        self._judge.judge(picture)
        self._judge.accept()
        if shot.rung is not None and shot.rung not in self._over:
            self._watch.add(picture, shot)
        if shot.position_um is not None:
            self._growing.add(small(picture), shot.position_um)

    def _rung_of(self, name: str) -> int | None:
        """The rung that a file is for; a body's may lie beyond the end of the ladder, which grows with it."""
        if self.by == "knob":
            return self._called
        rung, lost = self._numbers.rung_of(name)
        if lost > 0:
            before = "A file" if lost == 1 else f"{lost} files"
            self.said = f"{before} before {name} never came: what lies there stays empty"
        self._reach(rung)
        return rung

    def _reach(self, rung: int) -> None:
        """Let the ladder grow until it holds this rung."""
        while rung >= len(self._positions):
            self._positions.append(self._positions[-1] + self.setup.ladder.step_um)
            noted(self._take_id, positions_um=self._positions)

    def _replace(self, rung: int) -> None:
        """A rung is shot again: its frame before is left out."""
        for place, one in enumerate(self._mine):
            if one.rung == rung:
                put_on_rungs(self._take_id, [Corrected(one.frame_id, one.rung, None, "shot again")], "")
                if place == len(self._mine) - 1:
                    self._watch.drop_last()
                del self._mine[place]
                if place < len(self._mine):  # what came between tells nothing of neighbours any more
                    self._watch, self._watched_from = PictureWatch(), len(self._mine)
                return
        self._leave_out_taken_over([rung])

    def _leave_out_taken_over(self, rungs: Iterable[int]) -> None:
        """Frames of an earlier take, whose rungs have frames of this one now."""
        gone = [Corrected(self._over.pop(rung), rung, None, "shot again") for rung in rungs if rung in self._over]
        if gone:
            put_on_rungs(self._take_id, gone, "")

    def _call_rung(self, rung: int) -> None:
        self._called, self.calls, self.said = rung, self.calls + 1, ""

    def _call_next(self, after: int) -> None:
        have = self._have()
        self._called = next((rung for rung in range(after + 1, len(self._positions)) if rung not in have), None)
        if self._called is None:  # what was left open before
            self._called = next((rung for rung in range(len(self._positions)) if rung not in have), None)
        self.calls += 1

    def _rung(self, entry: TurnOrder) -> int:
        if entry.rung is None or entry.rung >= len(self._positions):
            raise BadInput(f"say which of the {len(self._positions)} rungs", field="rung")
        return entry.rung

    def _place(self, rung: int) -> int:
        """Which of this take's own frames stands for a rung."""
        place = next((n for n, one in enumerate(self._mine) if one.rung == rung), None)
        if place is None:
            raise Conflict(f"rung {rung + 1} has no frame of this series")
        return place

    def _last(self) -> OnRung:
        if not self._mine:
            raise Conflict("no frame has come yet")
        return self._mine[-1]

    def _read(self, reading: float | None) -> None:
        """The knob read something else when the last frame was shot: it belongs to the rung that lies there."""
        last = self._last()
        rung, at_um = rung_read(self.setup, self._positions, last.rung, reading)
        if any(one.rung == rung for one in self._mine[:-1]) or rung in self._over:
            second = Corrected(last.frame_id, last.rung, None, f"a second one of rung {rung + 1}")
            put_on_rungs(self._take_id, [second], "")
            self._mine.pop()
            self._watch.drop_last()
        else:
            put_on_rungs(
                self._take_id, [Corrected(last.frame_id, rung, at_um, None, self._positions[rung])],
                f"the knob read {reading:g} at {{name}}, rung {rung + 1}",
            )  # fmt: skip
            self._mine[-1] = OnRung(last.frame_id, rung, at_um)
        self._came_from_um = at_um
        self._call_next(rung)

    def _shift(self, rung: int, by: int, words: str) -> None:
        """All frames from this rung on, as they were shot one after the other, lie so many rungs farther."""
        place = self._place(rung)
        moved = [OnRung(one.frame_id, one.rung + by, one.position_um) for one in self._mine[place:]]
        self._reach(moved[-1].rung)
        put_on_rungs(
            self._take_id,
            [Corrected(one.frame_id, one.rung, None, None, self._positions[one.rung]) for one in moved],
            f"{words} {rung + 1}: {len(moved)} frames moved on",
        )
        self._mine[place:] = [replace(one, position_um=self._positions[one.rung]) for one in moved]
        self._leave_out_taken_over(one.rung for one in moved)
        self._watch.settle(place - self._watched_from)
        self._came_from_um = self._positions[moved[-1].rung]
        self._call_next(moved[-1].rung)

    def _drop_same(self, rung: int) -> None:
        """The frame of this rung shows what the one before shows: it goes, and those after it move up."""
        place = self._place(rung)
        if place == 0:
            raise Conflict(f"rung {rung + 1} has no frame before it that could be the same")
        dropped, later = self._mine[place], self._mine[place + 1 :]
        before = self._mine[place - 1].rung + 1
        put_on_rungs(
            self._take_id,
            [Corrected(dropped.frame_id, rung, None, f"shows the same as rung {before}: the knob was not turned")]
            + [Corrected(one.frame_id, one.rung - 1, None, None, self._positions[one.rung - 1]) for one in later],
            f"the knob was not turned for rung {rung + 1}: {len(later)} frames moved up",
        )
        self._mine[place:] = [OnRung(one.frame_id, one.rung - 1, self._positions[one.rung - 1]) for one in later]
        if place >= self._watched_from:
            self._watch.drop(place - self._watched_from)
        else:
            self._watched_from -= 1
        self._came_from_um = self._positions[self._mine[-1].rung]
        self._call_next(self._mine[-1].rung)

    def _is_quiet(self) -> bool:
        if not self._mine:
            return False
        usual_s = statistics.median(self._intervals) if self._intervals else 0.0
        return time.monotonic() - self._last_s > max(_QUIET_S, _QUIET_INTERVALS * usual_s)

    def _is_over(self) -> bool:
        with self._turn:
            if len(self._have()) < len(self._positions) or self.doubts():
                return False
            return self.by == "knob" or self._is_quiet()

    def _ended(self) -> str:
        with self._turn, transaction() as session:
            take = stacks.get_take(session, self._take_id, locked=True)
            kept = sum(frame.left_out is None for frame in take.frames)
            if kept < 2:
                raise Conflict(f"{kept} usable frames came into {self.folder}: at least 2 are needed")
            near, far = self._watch.ends()
            whole = len(self._mine) == kept
            doubts = [{"kind": one.kind, "rung": one.rung, "count": one.count} for one in self.doubts()]
            told: dict[str, Any] = {"doubts": doubts}
            if whole and near is not None:
                told["near_reached"] = near
            if whole and far is not None:
                told["far_reached"] = far
            take.run = {**(take.run or {}), **told}
        planned, total, done = self.setup.ladder.frames, len(self._positions), len(self._have())
        past = f", {total - planned} past the end of the plan" if total > planned else ""
        if done < total and self.by == "body" and max(self._have()) < total - 1:
            return f"The body stopped after rung {max(self._have()) + 1} of {total}: the far end is missing{past}."
        return f"{done} of {total} rungs have their frame{past}."
