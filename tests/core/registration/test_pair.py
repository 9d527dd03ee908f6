"""Registration against known warps, on drawn texture and on frames of the simulated bench."""

import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration import (
    Levelled,
    Pair,
    compose,
    inverse,
    register_pair,
    rescaled,
    scale_of,
    shared_rectangle,
)
from tests.support.stacks import corner_error_px


def similarity(
    scale: float, turn_deg: float, shift: tuple[float, float], shape: tuple[int, int]
) -> NDArray[np.float64]:
    centre = np.array([shape[1] / 2, shape[0] / 2])
    c, s = scale * np.cos(np.deg2rad(turn_deg)), scale * np.sin(np.deg2rad(turn_deg))
    linear = np.array([[c, -s], [s, c]])
    return np.column_stack([linear, centre + np.array(shift) - linear @ centre])


def texture(shape: tuple[int, int], seed: int) -> NDArray[np.float32]:
    random = np.random.default_rng(seed)
    total = np.zeros(shape, np.float32)
    for sigma, share in ((2, 1.0), (6, 2.0), (20, 4.0)):
        total += share * cv2.GaussianBlur(random.standard_normal(shape, dtype=np.float32), (0, 0), sigma) * sigma
    total -= total.min()
    return np.asarray(0.1 + 0.8 * total / total.max(), np.float32)


def registered(fixed: NDArray[np.float32], moving: NDArray[np.float32]) -> Pair:
    return register_pair(Levelled(fixed), Levelled(moving))


class RegisterPair(unittest.TestCase):
    SHAPE = (480, 720)

    def test_recovers_a_known_warp_to_a_tenth_of_a_pixel(self) -> None:
        big = texture((640, 900), 1)
        random = np.random.default_rng(2)
        inset = np.array([[1.0, 0, 90], [0, 1, 80]])
        for case in range(12):
            wanted = similarity(
                random.uniform(0.985, 1.015),
                random.uniform(-1, 1),
                tuple(random.uniform(-25, 25, 2)),
                self.SHAPE,
            )
            size = (self.SHAPE[1], self.SHAPE[0])
            flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
            fixed = cv2.warpAffine(big, inset, size, flags=flags)
            moving = cv2.warpAffine(big, compose(inset, wanted), size, flags=flags)
            moving = 0.9 * moving + 0.01 * random.standard_normal(self.SHAPE).astype(np.float32)
            pair = registered(np.asarray(fixed, np.float32), np.asarray(moving, np.float32))
            with self.subTest(case=case):
                self.assertLess(corner_error_px(pair.matrix, wanted, self.SHAPE), 0.1)
                self.assertAlmostEqual(pair.gain, 1 / 0.9, delta=0.02)
                self.assertGreater(pair.likeness, 0.95)

    def test_a_moving_part_does_not_pull(self) -> None:
        fixed = texture(self.SHAPE, 3)
        moving = fixed.copy()
        moving[100:220, 200:380] = fixed[100:220, 212:392]
        pair = registered(fixed, moving)
        self.assertLess(corner_error_px(pair.matrix, similarity(1, 0, (0, 0), self.SHAPE), self.SHAPE), 0.1)

    def test_unlike_frames_are_told_apart(self) -> None:
        self.assertLess(registered(texture(self.SHAPE, 4), texture(self.SHAPE, 5)).likeness, 0.5)

    def test_neighbours_in_which_nothing_is_in_focus_are_alike_though_noise_outweighs_them(self) -> None:
        random = np.random.default_rng(8)
        blurred = 0.4 + 0.1 * (cv2.GaussianBlur(texture(self.SHAPE, 7), (0, 0), 10) - 0.5)
        one, two = (np.asarray(blurred + random.normal(0, 0.04, self.SHAPE), np.float32) for _ in range(2))
        self.assertGreater(registered(one, two).likeness, 0.5)

    def test_pale_frames_are_alike_up_to_their_border(self) -> None:
        # Where the other frame ends between two pixels, half of a tone is no tone.
        pale = 0.5 + 0.02 * (texture((400, 500), 7) - 0.5)
        size, flags = (400, 320), cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
        moved = cv2.warpAffine(pale, np.array([[1, 0, 20.45], [0, 1, 20.45]]), size, flags=flags)
        pair = registered(np.ascontiguousarray(pale[20:340, 20:420]), np.asarray(moved, np.float32))
        self.assertGreater(pair.likeness, 0.99)


class Similarities(unittest.TestCase):
    def test_there_and_back(self) -> None:
        matrix = similarity(1.1, 3, (4, -5), (100, 200))
        np.testing.assert_allclose(compose(matrix, inverse(matrix)), [[1, 0, 0], [0, 1, 0]], atol=1e-12)
        self.assertAlmostEqual(scale_of(matrix), 1.1)

    def test_rescaled_keeps_pixel_centres(self) -> None:
        # A shift of 1 px between half-size pictures is 2 px between the full ones.
        np.testing.assert_allclose(rescaled(np.array([[1.0, 0, 1], [0, 1, 0]]), 2), [[1, 0, 2], [0, 1, 0]])
        doubled = rescaled(np.array([[2.0, 0, 0], [0, 2, 0]]), 2)
        np.testing.assert_allclose(doubled, [[2, 0, -0.5], [0, 2, -0.5]])

    def test_shared_rectangle_lies_inside_every_frame(self) -> None:
        matrices = [similarity(1.02, 1, (6, -3), (200, 300)), similarity(1.0, 0, (0, 0), (200, 300))]
        x, y, width, height = shared_rectangle(matrices, (200, 300))
        self.assertGreater(width * height, 0.85 * 200 * 300)
        for matrix in matrices:
            back = inverse(matrix)
            corners = np.array([[x, y], [x + width - 1, y], [x, y + height - 1], [x + width - 1, y + height - 1]])
            inside = corners @ back[:, :2].T + back[:, 2]
            self.assertTrue((inside >= 0).all() and (inside <= [299, 199]).all())


if __name__ == "__main__":
    unittest.main()
