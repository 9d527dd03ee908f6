"""An antenna that swung while the stack was shot: which frame shows it best, and how it runs."""

import unittest
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import Survey
from amber_ladder.core.mending import Box, Brush, Mended, Painted, Part, Point, Source, cut_patch, propose_part
from benchmarks.stacks import Stack
from tests.core.fusion.test_moved import antenna, surveyed


class Antenna(unittest.TestCase):
    """Of the stand before it swung, which the merge shows too."""

    found: ClassVar[Survey]
    stack: ClassVar[Stack]
    truth: ClassVar[NDArray[np.float64]]
    there: ClassVar[NDArray[np.bool_]]
    base: ClassVar[Point]
    tip: ClassVar[Point]
    part: ClassVar[Part]

    @classmethod
    def setUpClass(cls) -> None:
        cls.found, cls.stack = surveyed("auto"), antenna()
        reference = cls.stack.truths[cls.found.reference].matrix
        cls.truth = cls.stack.stands[0].sharp_picture(reference).astype(np.float64)
        near = cls.stack.stands[0].sharp_depth_um(reference) < 300
        cls.there = near & cls.stack.swept(cls.found.reference)
        rows = np.flatnonzero(cls.there.any(axis=1))
        cls.base, cls.tip = (
            (float(np.flatnonzero(cls.there[row]).mean()), float(row)) for row in (rows[-1] - 6, rows[0] + 4)
        )
        part = propose_part(cls.source, len(cls.found.used), cls.found.surface.index, cls.base, cls.tip)
        assert part is not None
        cls.part = part

    @classmethod
    def source(cls, place: int) -> Source:
        found = cls.found
        return Source(cls.stack.frames.pictures[found.used[place]], found.matrices[place], found.gains[place])

    def error(self, place: int) -> float:
        """How far a frame is from the truth where the antenna is, mean over it, of 255."""
        whole = Box(0, 0, self.there.shape[1], self.there.shape[0])
        brush = Brush((self.base, self.tip), 400.0, 0.0, 1.0)
        patch = cut_patch(self.source(place), self.truth.astype(np.uint8), brush, align=False)
        self.assertEqual(patch.box, whole)
        return float(np.abs(patch.pixels.astype(np.float64) - self.truth)[self.there].mean())

    def test_the_frame_proposed_is_the_one_nearest_to_the_truth_all_along(self) -> None:
        errors = [self.error(place) for place in range(13)]  # before it swung
        self.assertLess(errors[self.part.place], min(errors) + 0.5)
        self.assertLess(errors[self.part.place], 8.0)
        self.assertEqual(max(self.part.figures.values()), 1.0)
        self.assertTrue(set(self.part.figures) <= set(range(13)))

    def test_the_way_runs_within_the_antenna_from_its_base_to_its_tip(self) -> None:
        self.assertEqual((self.part.path[0], self.part.path[-1]), (self.base, self.tip))
        for x, y in self.part.path:
            self.assertTrue(self.there[round(y), round(x)], (x, y))

    def test_its_brush_covers_it_and_little_else(self) -> None:
        brush = Brush(self.part.path, self.part.radius_px, 0.0, 1.0)
        covered = brush.covering(Box(0, 0, self.there.shape[1], self.there.shape[0])) > 0.5
        rows = slice(int(self.tip[1]), int(self.base[1]))
        self.assertGreater(float(covered[rows][self.there[rows]].mean()), 0.9)
        self.assertLess(float(covered.sum() / self.there.sum()), 2.5)

    def test_painted_over_another_frame_it_shows_one_antenna(self) -> None:
        """Over a frame in which it had swung away: the mean error where it belongs is less than half."""
        late = self.source(14).picture
        brush = Brush(self.part.path, self.part.radius_px, 0.3, 1.0)
        patch = cut_patch(self.source(self.part.place), late, brush, align=False)
        shown, _ = Mended(late, [Painted(brush, patch)]).whole(no_progress)
        before, after = (np.abs(one - self.truth)[self.there].mean() for one in (late, shown))
        self.assertLess(float(after), 0.5 * float(before))


class Nothing(unittest.TestCase):
    def test_between_a_point_and_itself_there_is_no_part(self) -> None:
        flat = Source(np.full((60, 80, 3), 90, np.uint8), np.array([[1.0, 0, 0], [0, 1.0, 0]]))
        index = np.zeros((60, 80), np.float32)
        self.assertIsNone(propose_part(lambda _: flat, 3, index, (20.0, 20.0), (20.5, 20.0)))


if __name__ == "__main__":
    unittest.main()
