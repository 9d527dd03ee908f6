"""Rungs in turn: a knob turned by hand, and a body that brackets by itself, with what goes wrong with both."""

import shutil
import tempfile
import unittest
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

from amber_ladder.errors import BadInput, Conflict
from amber_ladder.store import history
from amber_ladder.store.database import transaction
from amber_ladder.work import plan
from amber_ladder.work.shoot import Bench, BenchChange, RunEntry, TurnOrder, add_file, begin_files, finish_take
from amber_ladder.work.shoot.views import RunView
from amber_ladder.work.stack.views import StackView, TakeView
from tests.support.bench import BenchTest, bench_stack, kept
from tests.support.examples import picture
from tests.support.station import until

KNOB = {"um_per_division": 2.0, "divisions_per_turn": 100, "near_reading": 12.5}
CONFIRMED = [
    "rig", "nearest", "clear", "one-way", "fixed", "light", "stabiliser", "autofocus", "other-brackets", "release",
    "separator", "enter", "caution:flash", "caution:permits", "caution:rail",
]  # fmt: skip


class InTurn(BenchTest):
    """A ladder of 9 rungs, 20 µm apart, from near to far: 7 between the ends and one to spare at either end."""

    number = 0

    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(tempfile.mkdtemp(prefix="amber-ladder-turn-"))
        self.addCleanup(shutil.rmtree, self.folder)
        self.bench.change(BenchChange(folder=str(self.folder), camera="folder"))
        self.addCleanup(self.bench.change, BenchChange(folder="", camera="simulated"))

    def ladder(self, **mover: Any) -> StackView:
        InTurn.number += 1
        spaced = {"near_um": 0, "far_um": 120, "overlap": None, "step_um": 20, "spare_rungs": 1, "rail": None}
        return bench_stack(f"IT-{InTurn.number}", **spaced, **mover)

    def begin(self, stack: StackView, **entry: Any) -> TakeView:
        return self.bench.begin_run(stack.id, RunEntry(confirmed=CONFIRMED, **entry))

    def now(self) -> RunView:
        run = self.bench.view().run
        assert run is not None
        return run

    def is_over_or_in_doubt(self) -> bool:
        run = self.bench.view().run
        return run is None or run.phase == "doubts"

    def drop(self, name: str, seed: int) -> None:
        scratch = self.folder / f".{name}"
        scratch.write_bytes(picture(384, 256, seed=seed))
        scratch.rename(self.folder / name)

    def comes(self, name: str, seed: int, then: Callable[[RunView], bool]) -> None:
        """A file comes, and the bench takes notice."""
        self.drop(name, seed)
        until(lambda: then(self.now()), f"{name} to be taken in")

    def rungs(self, stack: StackView, take_id: int) -> dict[str, int | None]:
        take = next(one for one in plan.read_stack(stack.id).takes if one.id == take_id)
        return {frame.name: frame.rung for frame in kept(take)}


class ByKnob(InTurn):
    def test_one_rung_after_another_is_called_with_what_the_knob_reads(self) -> None:
        stack = self.ladder(knob=KNOB)
        self.assertEqual(stack.ladder.frames, 9)
        take = self.begin(stack)
        called = []
        for rung in range(9):
            until(lambda rung=rung: self.now().call is not None and self.now().rung == rung, f"rung {rung}")  # type: ignore[misc]
            call = self.now().call
            assert call is not None
            called.append((call.division, call.turns, call.back_division is not None))
            self.drop(f"k_{rung}.jpg", rung)
        ended = self.ended(stack, take.id)
        self.assertEqual(ended.task.state, "done", ended.task.message)  # type: ignore[union-attr]
        # 20 µm are ten divisions; the first rung lies one step before 12.5, and is come to from before.
        self.assertEqual(called, [(2.5 + 10 * n, 0, n == 0) for n in range(9)])
        self.assertEqual([frame.planned_um for frame in ended.frames], [20.0 * n - 20.0 for n in range(9)])
        self.assertEqual([frame.reported_um for frame in ended.frames], [None] * 9)
        self.assertEqual(ended.series.depth_from, "planned")
        self.assertIn("by the rungs whose turn it was", ended.series.order_said)

    def test_what_a_hand_got_wrong_is_put_right_while_it_goes_on(self) -> None:
        stack = self.ladder(knob=KNOB)
        take = self.begin(stack)
        for rung in range(4):
            self.comes(f"k_{rung}.jpg", rung, lambda run, rung=rung: run.rung == rung + 1)  # type: ignore[misc]
        # The fourth was shot again, and the new one counts.
        self.bench.turn(TurnOrder(order="again"))
        self.assertEqual(self.now().rung, 3)
        call = self.now().call
        assert call is not None
        self.assertTrue(call.again and call.back_division is not None)
        self.comes("k_3b.jpg", 30, lambda run: run.rung == 4)
        # The knob stood two divisions farther than called: 4 µm, which is a report.
        self.comes("k_4.jpg", 4, lambda run: run.rung == 5)
        self.bench.turn(TurnOrder(order="read", reading=44.5))
        self.comes("k_5.jpg", 5, lambda run: run.rung == 6)
        # One was passed over before rung 3: it, 4 and 5 lie one rung farther, and 3 stays open.
        self.bench.turn(TurnOrder(order="passed", rung=3))
        self.assertEqual(self.now().rung, 7)
        for rung in (7, 8):
            self.comes(f"k_{rung}.jpg", rung, lambda run, rung=rung: run.rung != rung)  # type: ignore[misc]
        self.assertEqual(self.now().rung, 3)  # what was left open is called last
        self.drop("k_open.jpg", 33)
        ended = self.ended(stack, take.id)
        names = ["k_0.jpg", "k_1.jpg", "k_2.jpg", "k_open.jpg", "k_3b.jpg", "k_4.jpg", "k_5.jpg", "k_7.jpg", "k_8.jpg"]
        self.assertEqual(self.rungs(stack, take.id), {name: rung for rung, name in enumerate(names)})
        self.assertEqual({f.name: f.left_out for f in ended.frames if f.left_out}, {"k_3.jpg": "shot again"})
        with transaction() as session:
            words = [one.words for one in history.of_stack(session, stack.id) if one.did == "corrected"]
        self.assertEqual(len(words), 2)
        self.assertIn("the knob read 44.5 at k_4.jpg, rung 5", words[0])

    def test_a_reading_puts_a_frame_on_the_rung_where_it_lies(self) -> None:
        stack = self.ladder(knob=KNOB)
        take = self.begin(stack)
        self.comes("k_0.jpg", 0, lambda run: run.rung == 1)
        self.comes("k_1.jpg", 1, lambda run: run.rung == 2)
        with self.assertRaisesRegex(BadInput, "beyond the ladder"):
            self.bench.turn(TurnOrder(order="read", reading=95.0))
        with self.assertRaisesRegex(BadInput, "up to a whole turn"):
            self.bench.turn(TurnOrder(order="read", reading=100.0))
        self.bench.turn(TurnOrder(order="read", reading=22.5))  # the rung after the one that was called
        self.assertEqual((self.now().rung, self.rungs(stack, take.id)), (3, {"k_0.jpg": 0, "k_1.jpg": 2}))
        with self.assertRaisesRegex(Conflict, "rung 2 has no frame"):
            self.bench.turn(TurnOrder(order="same", rung=1))
        self.bench.stop_after_rung()
        ended = self.ended(stack, take.id)
        self.assertEqual(ended.series.missing, [1, 3, 4, 5, 6, 7, 8])
        reported = {frame.name: frame.reported_um for frame in ended.frames}
        self.assertEqual(reported, {"k_0.jpg": None, "k_1.jpg": 20.0})

    def test_after_a_restart_it_calls_the_rung_that_is_open(self) -> None:
        stack = self.ladder(knob=KNOB)
        first = Bench()
        take = first.begin_run(stack.id, RunEntry(confirmed=CONFIRMED))
        for rung in range(3):
            self.drop(f"k_{rung}.jpg", rung)
            until(lambda rung=rung: first.view().run.rung == rung + 1, f"rung {rung}")  # type: ignore[misc,union-attr]
        first.close()
        self.bench.take_up_again()
        until(lambda: self.bench.view().run is not None and self.now().rung == 3, "rung 3 to be called")
        call = self.now().call
        assert call is not None
        self.assertIsNotNone(call.back_division)  # who knows where the knob stands
        self.comes("k_3.jpg", 3, lambda run: run.rung == 4)
        self.bench.stop_after_rung()
        self.ended(stack, take.id)
        self.assertEqual(self.rungs(stack, take.id), {f"k_{rung}.jpg": rung for rung in range(4)})
        # What is missing is called as a new take, which begins with the good frames of this one.
        again = self.begin(stack, repair_of=take.id)
        self.assertEqual((self.now().rung, self.now().done), (4, 4))
        # One that was taken over may be shot again, too: the new one counts.
        self.bench.turn(TurnOrder(order="call", rung=1))
        self.comes("r_1.jpg", 11, lambda run: run.rung == 4)
        for rung in range(4, 9):
            self.drop(f"r_{rung}.jpg", rung)
        ended = self.ended(stack, again.id)
        self.assertEqual((ended.series.missing, ended.series.used), ([], 9))
        self.assertEqual({f.name: f.left_out for f in ended.frames if f.left_out}, {"rung_0002.jpg": "shot again"})

    def test_nothing_is_ordered_where_nothing_is_called(self) -> None:
        with self.assertRaisesRegex(Conflict, "no rung is called"):
            self.bench.turn(TurnOrder(order="again"))
        with self.assertRaisesRegex(Conflict, "no rung is called"):
            self.bench.fire()


class SimulatedHand(InTurn):
    def setUp(self) -> None:
        super().setUp()
        self.bench.change(BenchChange(camera="simulated"))

    def deep(self, **mover: Any) -> StackView:
        InTurn.number += 1
        spaced = {"near_um": 0, "far_um": 360, "overlap": None, "step_um": 12, "spare_rungs": 1, "rail": None}
        return bench_stack(f"IT-{InTurn.number}", **spaced, **mover)

    def test_a_key_fires_at_each_rung_that_is_called(self) -> None:
        stack = self.ladder(knob=KNOB)
        take = self.begin(stack)
        for rung in range(9):
            until(lambda rung=rung: self.now().rung == rung and self.now().phase == "turn", f"rung {rung}")  # type: ignore[misc]
            self.bench.fire()
        ended = self.ended(stack, take.id)
        self.assertEqual([frame.rung for frame in ended.frames], list(range(9)))
        self.assertEqual(len({frame.sha256 for frame in ended.frames}), 9)

    def test_a_hand_that_turns_past_a_rung_is_doubted_at_once(self) -> None:
        stack = self.deep(knob=KNOB)
        self.bench.change(BenchChange(flaws=["passes-over"]))
        take = self.begin(stack, simulated=True)
        until(lambda: bool(self.now().doubts) or self.now().done == stack.ladder.frames, "a doubt")
        doubt = self.now().doubts[0]
        self.assertEqual(doubt.kind, "passed")
        self.bench.stop_after_rung()
        ended = self.ended(stack, take.id)
        self.assertIn("Positions from there on are in doubt", " ".join(ended.series.warnings))


class ByItself(InTurn):
    def test_a_bodys_frames_take_their_rungs_by_the_numbers_in_their_names(self) -> None:
        stack = self.ladder(focus_unit={"um_per_unit": 4.0})
        take = self.begin(stack)
        self.assertEqual(self.now().mode, "body")
        for count, number in enumerate((41, 42, 44, 45, 46, 47, 48, 49), start=1):  # 43 never comes
            self.comes(f"DSC_{number:04d}.jpg", number, lambda run, count=count: run.done == count)  # type: ignore[misc]
        self.assertIn("A file before DSC_0044.jpg never came", self.now().said)
        self.bench.stop_after_rung()
        ended = self.ended(stack, take.id)
        rungs = [0, 1, 3, 4, 5, 6, 7, 8]
        self.assertEqual([frame.rung for frame in ended.frames], rungs)
        self.assertEqual(ended.series.missing, [2])
        self.assertEqual([frame.planned_um for frame in ended.frames], [20.0 * rung - 20.0 for rung in rungs])

    def test_it_is_told_that_a_body_stopped_early_or_went_past_the_end(self) -> None:
        self.bench.change(BenchChange(camera="simulated", scene="jewel-wasp"))
        for flaw, told, missing, rungs in (
            ("stops-early", "The body stopped after rung 6 of 9: the far end is missing", [6, 7, 8], 9),
            ("goes-on", "12 of 12 rungs have their frame, 3 past the end of the plan", [], 12),
        ):
            with self.subTest(flaw):
                self.bench.change(BenchChange(flaws=[flaw]))
                stack = self.ladder(focus_unit={"um_per_unit": 4.0})
                take = self.begin(stack)
                if flaw == "stops-early":
                    until(lambda: self.now().phase == "quiet", "it to be quiet")
                    self.bench.stop_after_rung()
                until(self.is_over_or_in_doubt, "its end")
                with suppress(Conflict):  # it may have ended meanwhile
                    self.bench.stop_after_rung()
                ended = self.ended(stack, take.id)
                self.assertIn(told, ended.task.message)  # type: ignore[union-attr]
                self.assertEqual((ended.series.missing, len(ended.series.rungs_um)), (missing, rungs))

    def test_the_list_before_it_says_what_to_enter(self) -> None:
        stack = self.ladder(focus_unit={"um_per_unit": 4.0})
        items = {one.key: one for one in self.bench.preflight(stack.id)}
        self.assertNotIn("rail", items)
        self.assertIn(
            "9 frames, step 5, from near to far, starting at 5 steps nearer than the nearest", items["enter"].detail
        )


class ByKey(InTurn):
    """The camera keeps its frames: a key says that a rung was shot, and the files are brought afterwards."""

    def shot(self, stack: StackView) -> TakeView:
        """A series with one rung shot twice, one press too many, one reading beside, and two rungs left out."""
        take = self.begin(stack, by_key=True)
        until(lambda: self.bench.view().run is not None, "the first call")
        for _ in range(3):
            self.bench.fire()
        self.bench.turn(TurnOrder(order="again"))
        self.bench.fire()  # rung 2 once more
        self.bench.fire()
        self.bench.turn(TurnOrder(order="none"))  # nothing was shot there yet
        self.assertEqual(self.now().rung, 3)
        self.bench.fire()
        self.bench.turn(TurnOrder(order="read", reading=34.5))  # called to 32.5
        self.bench.turn(TurnOrder(order="call", rung=6))
        self.bench.fire()
        self.assertEqual((self.now().mode, self.now().done, self.now().rung), ("key", 5, 7))
        self.bench.stop_after_rung()
        return self.ended(stack, take.id)

    def bring(self, stack: StackView, count: int) -> TakeView:
        files = begin_files(stack.id)
        for number in range(count):
            add_file(files.id, f"IMG_{number:04d}.jpg", [picture(384, 256, seed=number)])
        return finish_take(files.id)

    def test_files_take_the_rungs_that_were_called_though_one_was_shot_twice_and_some_never(self) -> None:
        stack = self.ladder(knob=KNOB)
        ended = self.shot(stack)
        assert ended.task is not None
        self.assertEqual(ended.task.state, "done")
        self.assertIn("5 of 9 rungs were shot, by 6 presses: bring these 6 files", ended.task.message)
        self.assertEqual((ended.complete, ended.frames), (False, []))
        brought = self.bring(stack, 6)
        told = [(frame.rung, frame.planned_um, frame.reported_um, frame.left_out) for frame in brought.frames]
        self.assertEqual(told, [
            (0, -20.0, None, None), (1, 0.0, None, None), (2, 20.0, None, "shot again"), (2, 20.0, None, None),
            (3, 40.0, 44.0, None), (6, 100.0, None, None),
        ])  # fmt: skip
        self.assertEqual(brought.series.missing, [4, 5, 7, 8])
        self.assertEqual(brought.series.depth_from, "planned")
        self.assertIn(f"by the rungs that take {ended.number} called", brought.series.order_said)
        # These presses have their files: the next ones are matched to the plan again, which they are too few for.
        again = self.bring(stack, 6)
        self.assertEqual({frame.rung for frame in again.frames}, {None})

    def test_as_many_files_as_presses_or_nobody_knows(self) -> None:
        stack = self.ladder(knob=KNOB)
        ended = self.shot(stack)
        brought = self.bring(stack, 9)  # as many as the ladder has rungs, but not as many as were shot
        self.assertEqual({frame.rung for frame in brought.frames}, {None})
        self.assertIsNone(brought.series.depth_from)
        self.assertIn(
            f"Take {ended.number} noted 6 presses of the key, and here are 9 files", brought.series.warnings[0]
        )

    def test_after_a_restart_it_calls_the_rung_that_is_open(self) -> None:
        stack = self.ladder(knob=KNOB)
        first = Bench()
        take = first.begin_run(stack.id, RunEntry(confirmed=CONFIRMED, by_key=True))
        until(lambda: first.view().run is not None, "the first call")
        first.fire()
        first.fire()
        first.close()
        self.bench.take_up_again()
        until(lambda: self.bench.view().run is not None and self.now().rung == 2, "rung 2 to be called")
        call = self.now().call
        assert call is not None
        self.assertIsNotNone(call.back_division)  # nobody knows from where the knob comes
        for _ in range(7):
            self.bench.fire()
        self.assertEqual(self.ended(stack, take.id).task.state, "done")  # type: ignore[union-attr]

    def test_what_only_pictures_could_tell_and_a_body_are_refused(self) -> None:
        stack = self.ladder(knob=KNOB)
        self.begin(stack, by_key=True)
        until(lambda: self.bench.view().run is not None, "the first call")
        with self.assertRaisesRegex(Conflict, "no rung was said to be shot yet"):
            self.bench.turn(TurnOrder(order="again"))
        self.bench.fire()
        with self.assertRaisesRegex(Conflict, "nobody sees the frames yet"):
            self.bench.turn(TurnOrder(order="passed", rung=0))
        with self.assertRaisesRegex(BadInput, "beyond the ladder"):
            self.bench.turn(TurnOrder(order="read", reading=95.0))
        self.bench.halt()
        body = self.ladder(focus_unit={"um_per_unit": 4.0})
        with self.assertRaisesRegex(BadInput, "a body brackets by itself"):
            self.begin(body, by_key=True)


if __name__ == "__main__":
    unittest.main()
