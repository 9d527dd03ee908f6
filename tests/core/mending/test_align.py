import unittest
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.mending import Brush, Fitted, Source, cut_patch
from amber_ladder.core.registration import IDENTITY, warped_picture

Float = NDArray[np.float32]
HEIGHT, WIDTH = 300, 400


def texture(seed: int, finest_px: float = 1.2) -> Float:
    """A picture with detail of many sizes, RGB, 0 to 1."""
    random = np.random.default_rng(seed)
    layers = []
    for px in (finest_px, 3.0, 8.0, 25.0):
        noise = cv2.GaussianBlur(random.standard_normal((HEIGHT, WIDTH, 3)).astype(np.float32), (0, 0), px)
        layers.append(noise / noise.std())
    whole = np.sum(layers, axis=0)
    return np.asarray(np.clip(0.45 + 0.06 * whole, 0, 1), np.float32)


def bytes_of(picture: NDArray[Any]) -> NDArray[np.uint8]:
    return np.asarray(np.rint(np.clip(picture, 0, 1) * 255), np.uint8)


def moved(picture: NDArray[np.uint8], x: float, y: float) -> NDArray[np.uint8]:
    return np.asarray(warped_picture(picture, np.array([[1.0, 0.0, x], [0.0, 1.0, y]]), 1.0, 255))


class LocalAlignment(unittest.TestCase):
    brush = Brush(((190.0, 140.0), (230.0, 160.0)), 28.0)

    def fitted(self, frame: NDArray[np.uint8], composite: NDArray[np.uint8]) -> Fitted:
        return cut_patch(Source(frame, IDENTITY), composite, self.brush).fitted

    def test_a_patch_is_moved_by_what_its_surroundings_tell(self) -> None:
        for seed, (x, y) in enumerate(((0.6, -0.4), (-1.7, 0.9), (0.0, 0.0), (2.6, 2.1))):
            composite = bytes_of(texture(seed))
            fit = self.fitted(moved(composite, x, y), composite)
            self.assertTrue(fit.found)
            self.assertLess(np.hypot(fit.shift_px[0] + x, fit.shift_px[1] + y), 0.03, (x, y, fit))

    def test_a_frame_that_is_out_of_focus_there_lies_as_well(self) -> None:
        sharp = texture(11)
        for blur_px in (1.5, 3.0):
            frame = moved(bytes_of(cv2.GaussianBlur(sharp, (0, 0), blur_px)), 0.8, -0.5)
            fit = self.fitted(frame, bytes_of(sharp))
            off = np.hypot(fit.shift_px[0] + 0.8, fit.shift_px[1] - 0.5)
            self.assertLess(off, 0.1, (blur_px, fit))
            self.assertLess(off, 4 * fit.u_px)

    def test_brightness_is_matched_channel_by_channel(self) -> None:
        composite = bytes_of(texture(4))
        gains = np.array([0.9, 1.08, 1.15], np.float32)
        fit = self.fitted(bytes_of(composite / np.float32(255) / gains), composite)
        np.testing.assert_allclose(fit.gains, gains, rtol=0.01)

    def test_what_is_painted_over_does_not_count_nor_what_moved_beside_it(self) -> None:
        composite, other = bytes_of(texture(5)), bytes_of(texture(6))
        frame = moved(composite, 0.7, 0.3)
        frame[120:180, 180:240] = other[120:180, 180:240]  # what the stroke brings
        frame[150:190, 255:280] = other[150:190, 255:280]  # and something else that is elsewhere in this frame
        fit = self.fitted(frame, composite)
        self.assertLess(np.hypot(fit.shift_px[0] + 0.7, fit.shift_px[1] + 0.3), 0.06, fit)

    def test_where_nothing_tells_nothing_is_moved_and_that_is_said(self) -> None:
        random = np.random.default_rng(1)
        plain = [bytes_of((0.4 + 0.01 * random.standard_normal((HEIGHT, WIDTH, 3))).astype(np.float32)) for _ in "ab"]
        fit = self.fitted(*plain)
        self.assertEqual((fit.found, fit.shift_px), (False, (0.0, 0.0)))
        stranger = self.fitted(bytes_of(texture(7)), bytes_of(texture(8)))
        self.assertEqual((stranger.found, stranger.shift_px), (False, (0.0, 0.0)), stranger)


class Patches(unittest.TestCase):
    def test_a_patch_lies_where_the_frame_lies(self) -> None:
        angle, scale = np.radians(0.3), 1.004
        matrix = np.array([
            [scale * np.cos(angle), -scale * np.sin(angle), 3.3], [scale * np.sin(angle), scale * np.cos(angle), -2.2],
        ])  # fmt: skip
        frame = bytes_of(texture(3, finest_px=2.0))
        whole = warped_picture(frame, matrix, 1.1, 255)
        brush = Brush(((60.0, 50.0), (320.0, 220.0)), 30.0)
        patch = cut_patch(Source(frame, matrix, 1.1), whole, brush, align=False)
        box = patch.box
        wanted = whole[box.top : box.bottom, box.left : box.right]
        self.assertLessEqual(int(np.abs(patch.pixels.astype(int) - wanted)[patch.covered].max()), 1)
        nudged = cut_patch(Source(frame, matrix, 1.1), whole, brush, align=False, nudge=(4.0, -3.0))
        inner = np.abs(nudged.pixels[:-3, 4:].astype(int) - patch.pixels[3:, :-4])
        self.assertLessEqual(int(inner[20:-20, 20:-20].max()), 1)

    def test_nothing_is_painted_where_the_frame_shows_nothing(self) -> None:
        frame = bytes_of(texture(3))
        right = np.array([[1.0, 0.0, 100.0], [0.0, 1.0, 0.0]])
        patch = cut_patch(Source(frame, right), frame, Brush(((100.0, 150.0),), 30.0))
        self.assertFalse(patch.covered[:, : 100 - patch.box.left].any())
        self.assertTrue(patch.covered[:, 100 - patch.box.left :].all())
        away = np.array([[1.0, 0.0, 1000.0], [0.0, 1.0, 0.0]])
        self.assertFalse(cut_patch(Source(frame, away), frame, Brush(((100.0, 150.0),), 30.0)).covered.any())


if __name__ == "__main__":
    unittest.main()
