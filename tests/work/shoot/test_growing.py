"""The picture that grows beside a run: its errors are told, and the run goes on without it."""

import unittest

import numpy as np

from amber_ladder.work.shoot.growing import Growing
from tests.support.stacks import shot


class Trouble(unittest.TestCase):
    def test_what_goes_wrong_is_told_and_what_has_grown_stays(self) -> None:
        frames = shot("moss-capsule").frames
        growing = Growing(7)
        self.assertIsNotNone(growing.add_now(np.asarray(frames.pictures[8]), 160.0))
        with self.assertLogs("amber_ladder.work.shoot.growing", "ERROR"):
            self.assertIsNone(growing.add_now(np.zeros((0, 0, 3), np.uint8), 180.0))
        view = growing.view()
        assert view is not None
        self.assertIn("The picture grows no more", view.trouble or "")
        self.assertIn("frames are kept", view.trouble or "")
        self.assertEqual(view.frames, 1)
        self.assertIsNone(growing.add_now(np.asarray(frames.pictures[9]), 180.0))
        self.assertIsNotNone(growing.jpeg("picture"))

    def test_by_hand_nobody_knows_what_is_covered(self) -> None:
        frames = shot("moss-capsule").frames
        for by_hand in (True, False):
            growing = Growing(7, by_hand=by_hand)
            for number in (6, 8, 10):
                growing.add_now(np.asarray(frames.pictures[number]), 20.0 * number)
            view = growing.view()
            assert view is not None
            self.assertEqual(view.covered is None, by_hand)
            self.assertIsNone(view.trouble)


if __name__ == "__main__":
    unittest.main()
