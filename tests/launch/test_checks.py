"""``./ladder test`` runs every suite there is, once."""

import threading
import unittest
from collections import deque
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from amber_ladder.errors import AmberLadderError
from amber_ladder.launch import checks
from amber_ladder.launch.serve import SOURCE


class Lanes(unittest.TestCase):
    def test_every_test_module_is_in_a_suite_and_every_suite_in_a_lane_once(self) -> None:
        named = [name for lane in checks._LANES for name in lane]
        self.assertEqual(len(named), len(set(named)))
        run = [module for name in named if name not in checks._TOOLS for module in checks.modules_of(name)]
        there = {
            ".".join(path.relative_to(SOURCE).with_suffix("").parts) for path in (SOURCE / "tests").rglob("test_*.py")
        }
        self.assertEqual(sorted(run), sorted(there))

    def test_a_lane_that_is_through_helps_the_other_and_nothing_runs_twice(self) -> None:
        left, both = deque(range(500)), threading.Barrier(2)

        def lane(take: Callable[[], int]) -> list[int]:
            both.wait()
            return list(checks._taken(take, left))

        with ThreadPoolExecutor(max_workers=2) as pool:
            first, last = (pool.submit(lane, take) for take in (left.popleft, left.pop))
        self.assertEqual(sorted(first.result() + last.result()), list(range(500)))
        self.assertEqual(first.result(), sorted(first.result()))

    def test_a_name_that_is_none_is_refused(self) -> None:
        with self.assertRaisesRegex(AmberLadderError, "no check is called 'moon'"):
            checks.check(["moon"])


if __name__ == "__main__":
    unittest.main()
