"""``./ladder test`` runs every suite there is, once."""

import unittest

from amber_ladder.errors import AmberLadderError
from amber_ladder.launch import checks
from amber_ladder.launch.serve import SOURCE


class Lanes(unittest.TestCase):
    def test_every_folder_of_tests_is_in_a_lane_once(self) -> None:
        named = [name for lane in checks._LANES for name in lane]
        self.assertEqual(len(named), len(set(named)))
        folders = {path.parent.relative_to(SOURCE / "tests").parts[0] for path in (SOURCE / "tests").rglob("test_*.py")}
        self.assertEqual(folders - set(named), set())
        self.assertEqual(set(named) - folders - set(checks._TOOLS), set())

    def test_a_name_that_is_none_is_refused(self) -> None:
        with self.assertRaisesRegex(AmberLadderError, "no check is called 'moon'"):
            checks.check(["moon"])


if __name__ == "__main__":
    unittest.main()
