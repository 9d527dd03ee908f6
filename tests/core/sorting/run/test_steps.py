"""How far focus moved between neighbours, on pictures whose blur is known: a surface on a slope, focus passing over it."""

import itertools
import unittest
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting.run._pair import Small
from amber_ladder.core.sorting.run._steps import Refocus, has_stayed, passed_over, refocus, steps_between

_SHAPE = (180, 240)
_USUAL = 4.0  # of focus from frame to frame; the surface lies from 0 to 100


@cache
def _detail() -> NDArray[np.float64]:
    random = np.random.default_rng(17)
    fine, wide = (cv2.GaussianBlur(random.normal(size=_SHAPE), (0, 0), sigma) for sigma in (0.8, 3.0))
    return np.asarray(110 + 24 * fine / fine.std() + 14 * wide / wide.std(), np.float64)


@cache
def frame(focus: float, seed: int, noise: float) -> Small:
    """A slope from 0 (left) to 100 (right) as a lens focused at ``focus`` shows it; blur grows by 0.06 px a unit."""
    depth = np.linspace(0.0, 100.0, _SHAPE[1])
    out = np.empty(_SHAPE)
    radius = np.abs(depth - focus) * 0.06
    levels = np.arange(0.0, radius.max() + 0.3, 0.3)
    blurred = [cv2.GaussianBlur(_detail(), (0, 0), max(one, 0.05)) for one in levels]
    for x in range(_SHAPE[1]):
        at = radius[x] / 0.3
        low = min(int(at), len(levels) - 2)
        out[:, x] = (low + 1 - at) * blurred[low][:, x] + (at - low) * blurred[low + 1][:, x]
    out += np.random.default_rng([seed, round(focus * 100)]).normal(0.0, noise, _SHAPE)
    grey = np.clip(np.rint(out), 0, 255).astype(np.uint8)
    calm = cv2.GaussianBlur(out, (0, 0), 0.7)
    half = (_SHAPE[1] // 2, _SHAPE[0] // 2)
    return Small(np.asarray(cv2.resize(grey, half, interpolation=cv2.INTER_AREA), np.uint8),
                 np.asarray(np.rint(16 * calm), np.int16))  # fmt: skip


def told(focus: list[float], noise: float = 0.3) -> list[float | None]:
    frames = [frame(at, number, noise) for number, at in enumerate(focus)]
    return steps_between([refocus(one, two) for one, two in itertools.pairwise(frames)])


def ladder(*steps: float) -> list[float]:
    return [30.0, *(30.0 + _USUAL * np.cumsum(steps)).tolist()]


class Steps(unittest.TestCase):
    def near(self, found: float | None, wanted: float, delta: float) -> None:
        assert found is not None
        self.assertAlmostEqual(found, wanted, delta=delta)

    def test_even_steps_are_told_as_one_each_and_the_ends_are_not_told(self) -> None:
        found = told(ladder(*[1.0] * 9))
        self.assertEqual((found[0], found[-1]), (None, None))
        for one in found[1:-1]:
            self.near(one, 1.0, 0.12)

    def test_rungs_that_were_passed_over_are_counted(self) -> None:
        for missing in (1, 2, 3):
            found = told(ladder(1, 1, 1, 1 + missing, 1, 1, 1))
            self.near(found[3], 1.0 + missing, 0.12 * (1 + missing))
            self.assertEqual([passed_over(one or 0.0) for one in found[1:-1]], [0, 0, missing, 0, 0])

    def test_where_focus_stayed_it_is_said_to_have_and_its_neighbours_keep_their_step(self) -> None:
        found = told(ladder(1, 1, 1, 0, 1, 1, 1))
        assert found[3] is not None
        self.assertTrue(has_stayed(found[3]), found[3])
        for place in (2, 4):
            self.near(found[place], 1.0, 0.2)

    def test_a_step_back_is_negative(self) -> None:
        found = told(ladder(1, 1, 1, -1, 1, 1, 1))
        self.near(found[3], -1.0, 0.4)

    def test_nothing_is_told_of_noise_or_of_pictures_in_which_nothing_is_ever_sharp(self) -> None:
        self.assertEqual(told(ladder(*[1.0] * 6), noise=45.0), [None] * 6)
        far = [400.0 + _USUAL * n for n in range(7)]
        self.assertEqual(told(far), [None] * 6)

    def test_what_is_held_against_what_falls_out_however_strongly_each_place_changes(self) -> None:
        """By hand: every place changes evenly, and one pair twice as much."""
        random = np.random.default_rng(2)
        slope, start = random.normal(0.0, 0.02, (9, 12)), random.normal(0.0, 0.3, (9, 12))
        sizes = [1.0, 1.0, 2.0, 1.0, 1.0]
        at = np.cumsum([0.5 * (a + b) for a, b in zip([0.0, *sizes], sizes, strict=False)])
        pairs = [
            Refocus(np.asarray(size * (start + slope * where), np.float32), np.ones((9, 12), np.float32), 1e-6)
            for size, where in zip(sizes, at, strict=True)
        ]
        found = steps_between(pairs)
        self.assertEqual((found[0], found[-1]), (None, None))
        self.near(found[2], 2.0, 0.05)
        self.near(found[3], 1.0, 0.05)

    def test_pictures_of_two_sizes_say_nothing_of_each_other(self) -> None:
        one = frame(30.0, 0, 0.3)
        other = Small(one.grey[:-2], one.calm[:-4])
        self.assertIsNone(refocus(one, other))
        self.assertEqual(steps_between([None, None, None]), [None] * 3)


if __name__ == "__main__":
    unittest.main()
