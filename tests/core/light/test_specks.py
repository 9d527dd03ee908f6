"""Dust: a spot that every frame has, and no dark patch of the specimen, however long its middle stays dark."""

import unittest
from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import Speck, SpeckWatch, sight

Float = NDArray[np.float32]
_SHAPE, _PLACE = (480, 640), (300, 200)


def _stack(seed: int, patch_px: float, contrast: float, *, dust: bool) -> Iterator[Float]:
    """Patches of some size with fine detail, in focus in the eighth of twelve frames."""
    random = np.random.default_rng(seed)

    def noise(size: float) -> Float:
        plane = cv2.GaussianBlur(random.standard_normal(_SHAPE).astype(np.float32), (0, 0), size)
        return np.asarray(plane / plane.std(), np.float32)

    picture = np.clip(0.5 + contrast * noise(patch_px) + 0.05 * noise(1.2), 0.1, 0.9)
    y, x = np.mgrid[: _SHAPE[0], : _SHAPE[1]]
    shade = 1.0 - 0.2 * np.exp(-((x - _PLACE[0]) ** 2 + (y - _PLACE[1]) ** 2) / 16.0) if dust else 1.0
    for at in range(12):
        seen = cv2.GaussianBlur(picture, (0, 0), 1.6 * abs(at - 7) + 0.4) * shade
        yield np.asarray(np.clip(seen + 0.004 * random.standard_normal(_SHAPE), 0, 1), np.float32)


def _dust_of(seed: int, patch_px: float, contrast: float, *, dust: bool) -> list[Speck]:
    watch = SpeckWatch(1)
    for frame in _stack(seed, patch_px, contrast, dust=dust):
        watch.add(sight(frame, 1))
    return [one for one in watch.specks(40.0) if one.kind == "dust"]


class Dust(unittest.TestCase):
    def test_dark_patches_of_the_specimen_are_none(self) -> None:
        for seed in range(6):
            for patch_px in (7.0, 9.0):
                with self.subTest(seed=seed, patch_px=patch_px):
                    self.assertEqual(_dust_of(seed, patch_px, 0.12, dust=False), [])

    def test_a_spot_among_them_is_found_where_it_is(self) -> None:
        for seed in (1, 3, 4, 5):
            with self.subTest(seed=seed):
                (spot,) = _dust_of(seed, 9.0, 0.04, dust=True)
                self.assertLess(abs(spot.x - _PLACE[0]) + abs(spot.y - _PLACE[1]), 3.0)


if __name__ == "__main__":
    unittest.main()
