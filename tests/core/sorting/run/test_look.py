import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting.run import Comparer, Small, look_at, shrunk_by


def noise(seed: int, size: tuple[int, int] = (300, 400), calm_px: float = 2.0) -> NDArray[np.float32]:
    """A soft random picture, 0 to 1."""
    field = np.random.default_rng(seed).normal(0.0, 1.0, size).astype(np.float32)
    soft = cv2.GaussianBlur(field, (0, 0), calm_px)
    return np.asarray(0.5 + 0.15 * soft / soft.std(), np.float32)


def rgb(grey: NDArray[np.float32]) -> NDArray[np.uint8]:
    return np.asarray(np.repeat(np.clip(grey * 255, 0, 255).astype(np.uint8)[..., None], 3, axis=2))


class TestLook(unittest.TestCase):
    def test_light_is_told_in_stops_below_white(self) -> None:
        half = np.full((200, 300, 3), 188, np.uint8)
        self.assertAlmostEqual(look_at(half, 1)[0].level, -1.0, delta=0.02)

    def test_one_clipped_channel_is_enough(self) -> None:
        picture = np.full((300, 300, 3), 90, np.uint8)
        picture[:60, :, 0] = 255
        self.assertAlmostEqual(look_at(picture, 1)[0].clipped, 0.2, delta=0.01)

    def test_detail_stands_where_it_is(self) -> None:
        grey = np.full((360, 480), 0.4, np.float32)
        grey[:, 240:] = noise(1, (360, 240), 0.8)
        detail = look_at(rgb(grey), 1)[0].detail
        self.assertEqual(detail.shape, (18, 24))
        self.assertLess(detail[:, :11].max(), 0.1)
        self.assertGreater(detail[:, 13:].min(), 2.0)

    def test_detail_has_directions(self) -> None:
        stripes = np.tile(0.5 + 0.4 * np.sin(np.arange(480) * 0.9), (360, 1)).astype(np.float32)
        along = look_at(rgb(stripes), 1)[0].along.mean(axis=(0, 1))
        self.assertEqual((int(along.argmax()), int(along.argmin())), (0, 4))
        upright = look_at(rgb(np.ascontiguousarray(stripes.T)), 1)[0].along.mean(axis=(0, 1))
        self.assertEqual((int(upright.argmax()), int(upright.argmin())), (4, 0))

    def test_files_are_shrunk_the_more_the_larger_they_are(self) -> None:
        sizes = ((800, 600), (1152, 864), (4000, 3000), (8256, 6192), (20000, 12000))
        self.assertEqual([shrunk_by(*size) for size in sizes], [1, 2, 2, 4, 8])


class TestCompare(unittest.TestCase):
    def moved(self, grey: NDArray[np.float32], growth: float, turn: float, x: float, y: float) -> NDArray[np.float32]:
        height, width = grey.shape
        centre = np.array([(width - 1) / 2, (height - 1) / 2])
        linear = np.array([[1 + growth, -turn], [turn, 1 + growth]])
        matrix = np.column_stack([linear, centre + np.array([x, y]) - linear @ centre])
        return np.asarray(
            cv2.warpAffine(grey, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
        )

    def small(self, grey: NDArray[np.float32]) -> Small:
        return look_at(rgb(grey), 1)[1]

    def test_shift_growth_and_turn_are_found(self) -> None:
        one = noise(2, (480, 640), 6.0)
        for growth, turn, x, y in ((0.0, 0.0, 0.0, 0.0), (0.004, 0.0, 3.0, -5.0), (-0.003, 0.002, -20.0, 12.0)):
            with self.subTest(growth=growth, x=x):
                found = Comparer().compare(self.small(one), self.small(self.moved(one, growth, turn, x, y)))
                assert found
                # Its sign is what order is told by; of the amount, a third or so is lost.
                self.assertAlmostEqual(found.growth, 0.8 * growth, delta=0.1 * abs(growth) + 0.0006)
                self.assertAlmostEqual(found.turn, turn, delta=0.0009)
                self.assertAlmostEqual(found.shift[0] * 640, x, delta=0.4)
                self.assertAlmostEqual(found.shift[1] * 640, y, delta=0.4)
                self.assertGreater(found.likeness, 0.99)

    def test_half_the_light_is_the_same_picture_and_another_picture_is_not(self) -> None:
        one, other = noise(3, (480, 640), 6.0), noise(4, (480, 640), 6.0)
        darker, strange = (Comparer().compare(self.small(one), self.small(two)) for two in (0.5 * one, other))
        assert darker
        assert strange
        self.assertGreater(darker.likeness, 0.99)
        self.assertLess(strange.likeness, 0.5)

    def test_pictures_of_two_sizes_are_not_compared(self) -> None:
        self.assertIsNone(Comparer().compare(self.small(noise(5)), self.small(noise(5, (200, 400)))))
