"""A patch shows what the whole merge shows there."""

import unittest
from functools import cache

import numpy as np

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import METHODS, Patch, Style, Survey, merge, survey
from amber_ladder.simulated.wobble import Wobble
from tests.support.stacks import Shot

BOX = (290, 150, 220, 180)


@cache
def shot() -> tuple[Shot, Survey]:
    """Frames that lie some pixels off each other, turned and scaled."""
    stack = Shot("moss-capsule", Wobble(), 7, step_factor=2)
    return stack, survey(stack.frames, progress=no_progress)


class Patches(unittest.TestCase):
    def difference(self, style: Style, box: tuple[int, int, int, int]) -> float:
        """Rms over the box, of 255."""
        stack, found = shot()
        x, y, width, height = box
        whole = merge(stack.frames, found, style, progress=no_progress).composite[y : y + height, x : x + width]
        patch = Patch(stack.frames, found, box).merged(style)
        self.assertEqual(patch.shape, (height, width, 3))
        self.assertGreater(float(patch.std()), 10.0)
        return float(np.sqrt(np.mean((patch.astype(np.float64) - whole) ** 2)))

    def test_in_every_way_it_is_what_the_whole_shows_there(self) -> None:
        # The pyramid of a part has fewer levels: what differs is a slow change of tone, a third of a grey value.
        for method in METHODS:
            with self.subTest(method):
                self.assertLess(self.difference(Style(method), BOX), 0.35 if method == "pyramid" else 0.1)

    def test_window_calm_and_range_do_what_they_do_to_the_whole(self) -> None:
        for style in (
            Style("pyramid", window_px=6.0),
            Style("pyramid", calm=1.0),
            Style("select", sharp=(3, 8)),
        ):
            with self.subTest(style):
                self.assertLess(self.difference(style, BOX), 0.35)
        usual, wide = (
            Patch(shot()[0].frames, shot()[1], BOX).merged(Style("pyramid", window)) for window in (2.2, 6.0)
        )
        self.assertFalse(np.array_equal(usual, wide))

    def test_at_the_rim_of_what_all_frames_share(self) -> None:
        x, y, _, _ = shot()[1].crop
        self.assertLess(self.difference(Style("select"), (x, y, 100, 80)), 0.1)
        self.assertLess(self.difference(Style("pyramid"), (x, y, 100, 80)), 2.0)


if __name__ == "__main__":
    unittest.main()
