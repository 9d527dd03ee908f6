"""One thing at a time, each with its own stop; and where a move leads."""

import threading
import unittest

from amber_ladder.core.planning import Reach
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import BadInput, Conflict, DeviceTrouble
from amber_ladder.work.shoot.activities import MOVING, Activities
from amber_ladder.work.shoot.moves import target_of
from amber_ladder.work.shoot.orders import MoveEntry


class OneAtATime(unittest.TestCase):
    def setUp(self) -> None:
        self.told = 0
        self.troubles: list[str] = []
        self.activities = Activities(told=self.tell, troubled=self.troubles.append)
        self.addCleanup(self.activities.stop)

    def tell(self) -> None:
        self.told += 1

    def begin(self, what: str) -> tuple[StopToken, threading.Event]:
        """Something that goes on until it is stopped."""
        stop, over = self.activities.ask(), threading.Event()

        def work() -> None:
            stop.event.wait(30)
            over.set()
            stop.check()

        self.activities.begin(what, work, stop)
        return stop, over

    def test_what_goes_on_is_named_and_nothing_else_may_begin(self) -> None:
        self.begin("shooting TH-1")
        self.assertEqual(self.activities.busy, "shooting TH-1")
        with self.assertRaisesRegex(Conflict, "the bench is busy: shooting TH-1"):
            self.activities.free()
        self.assertTrue(self.activities.stop())
        self.assertIsNone(self.activities.busy)
        self.activities.free()
        self.assertEqual(self.told, 2)

    def test_a_mere_move_makes_way(self) -> None:
        stop, over = self.begin(MOVING)
        waiting = self.activities.ask()
        self.activities.free()
        self.assertTrue(over.is_set() and stop.stopped)
        self.assertFalse(waiting.stopped)  # who made it give way goes on

    def test_a_stop_reaches_who_waits_but_not_who_comes_later(self) -> None:
        waiting = [self.activities.ask(), self.activities.ask("key")]
        self.activities.stop()
        self.assertTrue(all(token.stopped for token in waiting))
        self.assertFalse(self.activities.ask().stopped)

    def test_a_released_key_stays_released_whenever_its_move_comes(self) -> None:
        self.activities.release("early")
        self.assertTrue(self.activities.ask("early").stopped)
        held = self.activities.ask("held")
        self.assertTrue(self.activities.renew("held"))
        self.activities.release("held")
        self.assertTrue(held.stopped)
        self.assertFalse(self.activities.renew("held"))

    def test_trouble_is_told_in_words(self) -> None:
        def fail() -> None:
            raise DeviceTrouble("the rail is gone")

        self.activities.begin("moving", fail, self.activities.ask())
        self.activities.stop()
        self.assertEqual((self.activities.said, self.troubles), ("the rail is gone", ["the rail is gone"]))

    def test_a_fault_of_ours_is_told_too_and_the_bench_is_free_again(self) -> None:
        def fail() -> None:
            raise ZeroDivisionError("by nothing")

        with self.assertLogs("amber_ladder.work.shoot.activities", "ERROR"):
            self.activities.begin("moving", fail, self.activities.ask())
            self.activities.stop()
        self.assertEqual(self.activities.said, "our fault: ZeroDivisionError: by nothing")
        self.activities.free()


class Targets(unittest.TestCase):
    def test_a_position_goes_before_a_distance(self) -> None:
        self.assertEqual(target_of(MoveEntry(to_um=7.0, by_um=1.0), 100.0, None, Reach()), 7.0)
        self.assertEqual(target_of(MoveEntry(by_um=-2.5), 100.0, None, Reach()), 97.5)

    def test_places_need_a_stack_and_a_move_needs_a_target(self) -> None:
        with self.assertRaisesRegex(Conflict, "not set up for a stack"):
            target_of(MoveEntry(place="near"), 0.0, None, Reach())
        with self.assertRaisesRegex(BadInput, "say where to"):
            target_of(MoveEntry(), 0.0, None, Reach())


if __name__ == "__main__":
    unittest.main()
