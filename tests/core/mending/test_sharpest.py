"""Which frame is sharpest at a place, against scenes in which that is known."""

import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.mending import CELL_PX, Source, detail_of, sharpest

SHAPE = (160, 224)
STILL = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])


def grain(seed: int, shape: tuple[int, int] = SHAPE) -> NDArray[np.uint8]:
    made = np.random.default_rng(seed).integers(0, 255, shape).astype(np.float32)
    return np.asarray(np.repeat(cv2.GaussianBlur(made, (0, 0), 1.2)[..., None], 3, axis=2), np.uint8)


class SharpestHere(unittest.TestCase):
    def frames(self, moved: float = 0.0) -> list[Source]:
        """Five frames; each is sharp in an upright strip of its own, and blurred the more the farther away."""
        picture, made = grain(1), []
        x = np.arange(SHAPE[1])
        for place in range(5):
            blur = np.abs(x - (place + 0.5) * SHAPE[1] / 5) / 20.0
            levels = [picture] + [cv2.GaussianBlur(picture, (0, 0), float(one)) for one in (1, 2, 3, 4, 5, 6, 7, 8)]
            chosen = np.clip(np.rint(blur), 0, 8).astype(int)
            frame = np.stack([levels[level][:, at] for at, level in enumerate(chosen)], axis=1)
            shift = np.array([[1.0, 0.0, moved], [0.0, 1.0, 0.0]])
            made.append(Source(cv2.warpAffine(frame, shift, SHAPE[::-1], borderMode=cv2.BORDER_REFLECT_101),
                               np.array([[1.0, 0.0, -moved], [0.0, 1.0, 0.0]])))  # fmt: skip
        return made

    def test_each_strip_is_told_by_its_frame_and_then_by_its_neighbours(self) -> None:
        for moved in (0.0, 12.0):  # frames that lie elsewhere on the composite are laid there
            details = np.stack([detail_of(one, SHAPE) for one in self.frames(moved)])
            for place in range(5):
                found = sharpest(details, ((place + 0.5) * SHAPE[1] / 5, 80.0), 10.0)
                self.assertEqual(found[0].place, place)
                self.assertEqual(len(found), 4)
                self.assertTrue({one.place for one in found[1:3]} <= {place - 2, place - 1, place + 1, place + 2})
                self.assertEqual(found[0].figure, 1.0)
                self.assertLess(found[-1].figure, 0.5)

    def test_a_small_brush_tells_a_place_from_what_lies_beside_it(self) -> None:
        left, right = grain(2), grain(3)
        left[:, 112:], right[:, :112] = 128, 128
        details = [detail_of(Source(one, STILL), SHAPE) for one in (left, right)]
        self.assertEqual(sharpest(details, (112 - 2 * CELL_PX, 80), 4)[0].place, 0)
        self.assertEqual(sharpest(details, (112 + 2 * CELL_PX, 80), 4)[0].place, 1)

    def test_a_brighter_frame_is_not_sharper(self) -> None:
        frame = grain(4)
        dim = Source(np.asarray(frame // 2, np.uint8), STILL, gain=2.0)
        found = sharpest([detail_of(one, SHAPE) for one in (Source(frame, STILL), dim)], (100, 80), 20)
        self.assertAlmostEqual(found[1].figure, 1.0, delta=0.05)

    def test_where_a_frame_shows_nothing_it_is_not_told(self) -> None:
        away = Source(grain(5), np.array([[1.0, 0.0, 5000.0], [0.0, 1.0, 0.0]]))
        self.assertEqual(sharpest([detail_of(away, SHAPE)], (100, 80), 20), [])

    def test_the_very_corner_has_an_answer_and_beyond_it_there_is_none(self) -> None:
        details = [detail_of(Source(grain(6), STILL), SHAPE)]
        for at in ((0.0, 0.0), (223.0, 159.0)):
            self.assertEqual(len(sharpest(details, at, 3.0)), 1)
        self.assertEqual(sharpest(details, (-400.0, 500.0), 3.0), [])


if __name__ == "__main__":
    unittest.main()
