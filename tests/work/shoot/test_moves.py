"""The rail by hand."""

import threading
import unittest

from amber_ladder.errors import Conflict, DeviceTrouble, OutOfReach
from amber_ladder.simulated.rail.eye import RailEye
from amber_ladder.work import plan
from amber_ladder.work.shoot import BenchChange, MoveEntry
from tests.support.bench import SURE, BenchTest
from tests.support.station import until


class Rail(BenchTest):
    def test_a_move_that_would_touch_the_specimen_is_refused(self) -> None:
        self.stack()
        with self.assertRaisesRegex(OutOfReach, "bring the lens against the specimen"):
            self.bench.move(MoveEntry(to_um=35_000))
        self.bench.move(MoveEntry(place="park"))
        until(lambda: self.bench.view().busy is None, "the move")
        self.assertEqual(self.bench.view().rail.position_um, 0.0)

    def test_keys_that_are_pressed_quickly_add_up(self) -> None:
        self.stack()
        self.bench.move(MoveEntry(place="near"))
        for _ in range(5):
            self.bench.move(MoveEntry(by_um=100))
        until(lambda: self.bench.view().busy is None, "the moves")
        self.assertEqual(self.bench.view().rail.position_um, 2500.0)

    def test_holding_runs_until_it_is_let_go(self) -> None:
        self.stack()
        self.bench.move(MoveEntry(to_um=30_000))
        until(lambda: (self.bench.view().rail.position_um or 0) > 400, "it to run")
        at = self.bench.halt().rail.position_um or 0.0
        self.assertLess(at, 20_000)
        self.assertEqual(self.bench.view().rail.position_um, at)


class Stops(BenchTest):
    """A stop holds from the moment it was said, whatever is under way or waiting."""

    def rests(self) -> float:
        until(lambda: self.bench.view().busy is None, "the rail to rest")
        return self.bench.view().rail.position_um or 0.0

    def waiting_move(self, entry: MoveEntry) -> threading.Thread:
        """A move that has arrived and waits for its turn, which somebody else has."""
        waiting = threading.Thread(target=self.bench.move, args=(entry,))
        arrived = len(self.bench._activities._asked)
        waiting.start()
        until(lambda: len(self.bench._activities._asked) > arrived, "the move to arrive")
        return waiting

    def test_while_a_rail_that_was_switched_on_anew_homes(self) -> None:
        self.stack()
        self.bench.move(MoveEntry(to_um=20_000))
        self.rests()
        eye = RailEye(self.rail.port)
        self.addCleanup(eye.close)
        eye.forget_home()
        self.bench.move(MoveEntry(to_um=30_000))
        until(lambda: (self.bench.view().rail.position_um or 0) < 19_000, "it to run home")
        self.bench.halt()
        here = self.rests()
        self.assertGreater(here, 1000)
        self.assertEqual(self.bench.view().rail.position_um, here)  # neither home nor on to 30 mm

    def test_a_stop_reaches_a_move_that_waits_for_its_turn(self) -> None:
        self.stack()
        self.bench.move(MoveEntry(to_um=1000))
        before = self.rests()
        with self.bench._turn:
            waiting = self.waiting_move(MoveEntry(to_um=30_000))
            self.bench.halt()
        waiting.join(20)
        self.assertIsNone(self.bench.view().busy)
        self.assertEqual(self.bench.view().rail.position_um, before)

    def test_a_key_that_is_let_go_before_its_move_begins_or_even_arrives(self) -> None:
        self.stack()
        self.bench.move(MoveEntry(to_um=1000))
        before = self.rests()
        with self.bench._turn:
            waiting = self.waiting_move(MoveEntry(to_um=30_000, hold="waits"))
            self.bench.release("waits")
        waiting.join(20)
        self.bench.release("late")  # its release was faster over the line
        self.bench.move(MoveEntry(to_um=30_000, hold="late"))
        self.assertEqual(self.rests(), before)

    def test_a_held_move_ends_when_nobody_says_any_more_that_it_is_held(self) -> None:
        self.stack()
        self.bench.move(MoveEntry(place="park"))
        self.rests()
        self.bench.move(MoveEntry(to_um=30_000, hold="lost"))
        until(lambda: (self.bench.view().rail.position_um or 0) > 500, "it to run")
        self.assertTrue(self.bench.hold("lost").moving)
        here = self.rests()  # nothing more is said: the tab was closed
        self.assertLess(here, 15_000)
        self.assertFalse(self.bench.hold("lost").moving)
        self.assertFalse(self.bench.hold("never heard of").moving)

    def test_two_pages(self) -> None:
        self.stack()
        self.bench.move(MoveEntry(place="park"))
        self.rests()
        self.bench.move(MoveEntry(to_um=30_000, hold="first-page"))
        self.bench.move(MoveEntry(to_um=2000))  # the second page wants elsewhere
        self.bench.release("first-page")  # which is none of the second's business
        self.assertEqual(self.rests(), 2000)
        self.bench.move(MoveEntry(to_um=30_000, hold="first-page-again"))
        self.bench.halt()  # but a stop is for everybody
        self.assertLess(self.rests(), 25_000)

    def test_a_stop_said_before_a_run_begins_begins_no_take(self) -> None:
        stack = self.stack()
        said: list[str] = []

        def begin() -> None:
            try:
                self.bench.begin_run(stack.id, SURE)
            except Conflict as error:
                said.append(str(error))

        with self.bench._turn:
            arrived = len(self.bench._activities._asked)
            waiting = threading.Thread(target=begin)
            waiting.start()
            until(lambda: len(self.bench._activities._asked) > arrived, "the run to arrive")
            self.bench.halt()
        waiting.join(20)
        self.assertEqual(said, ["stopped before it began: nothing was shot"])
        self.assertEqual(plan.read_stack(stack.id).takes, [])


class Lines(BenchTest):
    def test_a_port_nobody_answers_is_said(self) -> None:
        self.stack()
        self.bench.change(BenchChange(rail="socket://127.0.0.1:9"))
        self.addCleanup(self.bench.change, BenchChange(rail="simulated"))
        trouble = self.bench.view().rail.trouble or ""
        self.assertRegex(trouble, "no rail answers at socket://127.0.0.1:9")
        with self.assertRaisesRegex(DeviceTrouble, "no rail answers"):
            self.bench.move(MoveEntry(by_um=10))


if __name__ == "__main__":
    unittest.main()
