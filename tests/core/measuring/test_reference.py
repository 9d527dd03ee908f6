"""The scale from a coin, a ball, a ruling or two points in a picture whose truth is known."""

import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring import Growth, Instrument, scale_from
from amber_ladder.core.measuring._rim import find_rim
from amber_ladder.errors import BadInput

Float = NDArray[np.float32]
Double = NDArray[np.float64]
SHAPE = (420, 560)
MIDDLE = (281.37, 207.81)


def ground(seed: int = 4) -> Float:
    """A blotched ground, 0.2 to 0.5."""
    noise = np.random.default_rng(seed).normal(0, 1, SHAPE).astype(np.float32)
    blotches = cv2.GaussianBlur(noise, (0, 0), 4.0)
    return np.asarray(0.35 + 0.05 * blotches / blotches.std(), np.float32)


def disk(a: float, b: float, turn_deg: float = 0.0, level: float = 0.75, seed: int = 4) -> Float:
    """An ellipse on the ground with a soft edge and some noise, its middle at MIDDLE."""
    y, x = np.mgrid[0 : SHAPE[0], 0 : SHAPE[1]].astype(np.float64)
    c, s = np.cos(np.deg2rad(turn_deg)), np.sin(np.deg2rad(turn_deg))
    u, v = c * (x - MIDDLE[0]) + s * (y - MIDDLE[1]), -s * (x - MIDDLE[0]) + c * (y - MIDDLE[1])
    out = (np.hypot(u / a, v / b) - 1.0) * np.hypot(u, v) / np.maximum(np.hypot(u / a, v / b), 1e-9)
    cover = 0.5 - 0.5 * np.tanh(out / 1.2)
    noise = np.random.default_rng(seed + 1).normal(0, 0.01, SHAPE)
    return np.asarray(ground(seed) * (1 - cover) + level * cover + noise, np.float32)


def around(a: float, b: float | None = None, count: int = 4, aside: float = 4.0, seed: int = 7) -> Double:
    """Places clicked beside a rim, up to so many px aside."""
    random = np.random.default_rng(seed)
    angle = np.linspace(0.3, 0.3 + 2 * np.pi, count, endpoint=False)
    off = random.uniform(-aside, aside, (count, 2))
    return np.column_stack([np.cos(angle) * a, np.sin(angle) * (b or a)]) + MIDDLE + off


def flat(um_per_px: float = 2.0, **changes: object) -> Instrument:
    return Instrument(SHAPE, um_per_px, 0.03, **changes)  # type: ignore[arg-type]


class Rims(unittest.TestCase):
    def test_a_circle_to_a_tenth_of_a_pixel(self) -> None:
        for seed in range(5):
            with self.subTest(seed=seed):
                rim = find_rim(disk(121.3, 121.3, seed=seed), around(121.3, seed=seed), aslant=False)
                self.assertAlmostEqual(rim.longest_px, 121.3, delta=0.1)
                np.testing.assert_allclose(rim.middle, MIDDLE, atol=0.15)
                self.assertGreater(rim.share, 0.9)
                self.assertLess(abs(rim.longest_px - 121.3), 3 * rim.u_px + 0.03)

    def test_a_dark_one_and_one_that_is_partly_covered(self) -> None:
        picture = disk(90.0, 90.0, level=0.05)
        picture[150:260, 360:400] = 0.9  # something bright lies over its right side
        rim = find_rim(picture, around(90.0), aslant=False)
        self.assertAlmostEqual(rim.longest_px, 90.0, delta=0.15)
        self.assertLess(rim.share, 0.95)

    def test_a_coin_aslant_keeps_its_longest_diameter(self) -> None:
        rim = find_rim(disk(130.0, 104.0, 25.0), around(125.0, 108.0, count=6), aslant=True)
        self.assertAlmostEqual(rim.longest_px, 130.0, delta=0.15)
        self.assertAlmostEqual(rim.shortest_px, 104.0, delta=0.2)
        self.assertAlmostEqual(rim.turn_deg, 25.0, delta=0.5)

    def test_where_there_is_no_rim_none_is_found(self) -> None:
        with self.assertRaisesRegex(BadInput, "rim"):
            find_rim(ground(), around(100.0), aslant=False)
        with self.assertRaisesRegex(BadInput, "on one line"):
            find_rim(disk(90, 90), np.array([[10.0, 10.0], [20.0, 20.0], [30.0, 30.0]]), aslant=False)
        with self.assertRaisesRegex(BadInput, "too small"):
            find_rim(disk(90, 90), np.array([[10.0, 10.0], [13.0, 10.0], [10.0, 13.0]]), aslant=False)


class Scales(unittest.TestCase):
    def test_a_coin_gives_the_scale_whatever_was_thought_before(self) -> None:
        for before in (1.0, 2.0, 7.0):
            found = scale_from(flat(before), disk(120, 120), "coin", around(120), size_um=600.0, u_size_um=0.6)
            self.assertAlmostEqual(found.um_per_px, 2.5, delta=0.003)
            self.assertGreater(found.u_um_per_px, 0.0025)  # no better than the coin itself
            self.assertLess(found.u_um_per_px, 0.01)
            self.assertIsNone(found.depth_um)
            self.assertIn("nothing is known of its depth", " ".join(found.notes))

    def test_what_lies_deeper_is_smaller_and_that_is_taken_off(self) -> None:
        growth = Growth(per_um=5e-5, u_per_um=1e-6, at_um=100.0)
        depth = np.full(SHAPE, 900.0, np.float32)
        deep = flat(2.0, depth_um=depth, u_depth_um=np.full(SHAPE, 2.0, np.float32), growth=growth, deepest_um=1000.0)
        # At 900 µm, 800 below where the scale holds, there are 4 % more µm in a px.
        found = scale_from(deep, disk(120, 120), "coin", around(120), size_um=2 * 120 * 2.5 * 1.04, u_size_um=0.1)
        self.assertAlmostEqual(found.um_per_px, 2.5, delta=0.004)
        self.assertAlmostEqual(found.depth_um or 0, 900.0, delta=1.0)

    def test_a_ball_is_as_wide_as_its_rim_half_its_width_below_its_top(self) -> None:
        um_per_px, radius = 2.5, 120.0
        y, x = np.mgrid[0 : SHAPE[0], 0 : SHAPE[1]].astype(np.float64)
        off = np.hypot(x - MIDDLE[0], y - MIDDLE[1]) / radius
        below = radius * um_per_px * (1 - np.sqrt(np.clip(1 - off**2, 0, None)))
        depth = np.where(off < 0.7, 200 + below, np.nan).astype(np.float32)
        growth = Growth(per_um=1e-4, u_per_um=1e-6, at_um=200.0)
        ball = flat(2.4, depth_um=depth, u_depth_um=np.full(SHAPE, 2.0, np.float32), growth=growth, deepest_um=900.0)
        size = 2 * radius * um_per_px * (1 + 1e-4 * radius * um_per_px)
        found = scale_from(ball, disk(radius, radius), "ball", around(radius), size_um=size, u_size_um=0.1)
        self.assertAlmostEqual(found.um_per_px, um_per_px, delta=0.006)
        self.assertAlmostEqual(found.depth_um or 0, 200 + size / 2, delta=2.0)

    def test_two_points_of_which_one_lies_deeper(self) -> None:
        x = np.mgrid[0 : SHAPE[0], 0 : SHAPE[1]][1]
        slope = flat(2.0, depth_um=np.asarray(1.5 * x, np.float32), u_depth_um=np.full(SHAPE, 0.5, np.float32))
        points = np.array([[100.0, 200.0], [300.0, 200.0]])
        # 200 px of 2.5 µm across, 300 µm down.
        true_um = float(np.hypot(500, 300))
        found = scale_from(slope, ground(), "two_points", points, size_um=true_um, u_size_um=0.0)
        self.assertAlmostEqual(found.um_per_px, 2.5, delta=0.01)
        self.assertGreater(found.u_um_per_px / 2.5, 0.5 * np.sqrt(2) / 200)  # half a pixel at either end
        with self.assertRaisesRegex(BadInput, "deeper than the other"):
            scale_from(slope, ground(), "two_points", points, size_um=250.0, u_size_um=0.0)

    def test_a_ruling_in_a_corner_lying_aslant(self) -> None:
        pitch, angle = 14.2, np.deg2rad(20)
        y, x = np.mgrid[0 : SHAPE[0], 0 : SHAPE[1]].astype(np.float64)
        along = x * np.cos(angle) + y * np.sin(angle)
        lines = 0.5 + 0.3 * np.tanh(4 * (np.cos(2 * np.pi * along / pitch) - 0.6))
        picture = ground()
        picture[200:400, 20:260] = lines[200:400, 20:260]
        corners: Double = np.array([[24.0, 204.0], [255.0, 395.0]])
        level = scale_from(flat(), picture, "ruling", corners, size_um=50.0, u_size_um=0.05)
        self.assertAlmostEqual(level.um_per_px / (50 / pitch), 1.0, delta=0.002)
        # Rising by 0.8 of its width across the lines, it is foreshortened; the depth map knows.
        rise = 0.8 * 50 / np.hypot(1, 0.8) / pitch
        steep = flat(2.0, depth_um=np.asarray(100 + rise * along, np.float32),
                     u_depth_um=np.full(SHAPE, 0.5, np.float32))  # fmt: skip
        found = scale_from(steep, picture, "ruling", corners, size_um=50.0, u_size_um=0.05)
        self.assertAlmostEqual(found.um_per_px / (50 / np.hypot(1, 0.8) / pitch), 1.0, delta=0.004)
        with self.assertRaisesRegex(BadInput, "two opposite corners"):
            scale_from(flat(), picture, "ruling", corners[:1] + np.array([[0, 0], [3, 3]]), size_um=50.0, u_size_um=0.0)

    def test_refused_in_words(self) -> None:
        with self.assertRaisesRegex(BadInput, "3 places are needed"):
            scale_from(flat(), disk(90, 90), "coin", around(90)[:2], size_um=9.0, u_size_um=0.0)
        with self.assertRaisesRegex(BadInput, "outside the picture"):
            scale_from(flat(), disk(90, 90), "two_points", np.array([[0.0, 0.0], [9e3, 0.0]]), size_um=9.0, u_size_um=0)


if __name__ == "__main__":
    unittest.main()
