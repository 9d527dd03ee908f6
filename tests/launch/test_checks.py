"""``./ladder test`` runs every suite there is, once."""

import unittest

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

    def test_a_name_that_is_none_is_refused(self) -> None:
        with self.assertRaisesRegex(AmberLadderError, "no check is called 'moon'"):
            checks.check(["moon"])


if __name__ == "__main__":
    unittest.main()
