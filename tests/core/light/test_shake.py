"""Shaken frames, told from those beside them, and calm ones that only go out of focus."""

import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import ShakeWatch, detail_along, spread_tiles

Float = NDArray[np.float32]


def slope(focus: float, seed: int = 1, noise: float = 0.004) -> Float:
    """A textured slope, of which a strip at ``focus`` (0 to 1, from the left) is sharp."""
    random = np.random.default_rng(seed)
    texture = cv2.GaussianBlur(random.random((300, 480), dtype=np.float32), (0, 0), 1.0)
    blurs = [np.asarray(cv2.GaussianBlur(texture, (0, 0), 0.3 + 1.2 * step), np.float32) for step in range(5)]
    off = np.abs(np.linspace(0, 1, 480) - focus) * 10
    picture = np.take_along_axis(
        np.stack(blurs), np.minimum(off, 4).round().astype(np.intp)[None, None, :].repeat(300, 1), 0
    )[0]
    grain = np.random.default_rng(seed + round(1000 * focus)).normal(0, noise, texture.shape)
    return np.asarray(np.clip(picture + grain, 0, 1), np.float32)


def smeared(grey: Float, length_px: int, angle_deg: float) -> Float:
    kernel = np.zeros((length_px, length_px), np.float32)
    middle, along = length_px // 2, np.deg2rad(angle_deg)
    for t in np.linspace(-middle, middle, 4 * length_px):
        kernel[round(middle + t * np.sin(along)), round(middle + t * np.cos(along))] = 1
    return np.asarray(cv2.filter2D(grey, -1, kernel / kernel.sum()), np.float32)


class Shake(unittest.TestCase):
    def shaken(self, frames: list[Float]) -> list[int]:
        """Which frames are told, after checking that all are judged, in order."""
        watch = ShakeWatch[int]()
        told = [
            one for i, frame in enumerate(frames) for one in watch.add(i, detail_along(*spread_tiles(frame)))
        ] + watch.end()
        self.assertEqual([one.frame for one in told], list(range(len(frames))))
        return [one.frame for one in told if one.reason]

    def sweep(self) -> list[Float]:
        return [slope(float(focus)) for focus in np.linspace(0.1, 0.9, 9)]

    def test_a_sweep_of_focus_is_calm(self) -> None:
        self.assertEqual(self.shaken(self.sweep()), [])

    def test_a_smeared_frame_is_told_whichever_way_it_went_and_its_neighbours_are_not(self) -> None:
        for angle in (0, 37, 90, 140):
            with self.subTest(angle):
                frames = self.sweep()
                frames[4] = smeared(frames[4], 9, angle)
                self.assertEqual(self.shaken(frames), [4])

    def test_texture_that_runs_one_way_is_not_shaking(self) -> None:
        self.assertEqual(self.shaken([smeared(frame, 9, 20.0) for frame in self.sweep()]), [])

    def test_an_edge_that_is_in_focus_in_one_frame_alone_is_not_shaking(self) -> None:
        frames = [slope(0.9, seed=seed) for seed in (1, 1, 1)]
        stripes = 0.5 + 0.5 * np.sin(np.arange(150, dtype=np.float32)[:, None] / 1.5)
        frames[1][20:170, 20:220] = np.broadcast_to(stripes, (150, 200))
        self.assertEqual(self.shaken(frames), [])

    def test_noise_alone_tells_nothing(self) -> None:
        noise = [np.random.default_rng(i).normal(0.5, 0.05, (300, 480)).astype(np.float32) for i in range(20)]
        self.assertEqual(self.shaken(noise), [])

    def test_a_large_picture_is_judged_by_tiles_from_all_over_it(self) -> None:
        self.assertEqual(sum(tile.size for tile in spread_tiles(self.sweep()[0])), 300 * 480)
        tiles = spread_tiles(np.zeros((3000, 4000), np.float32))
        self.assertLess(sum(tile.size for tile in tiles), 0.15 * 12e6)


if __name__ == "__main__":
    unittest.main()
