"""The relief as the page gets it, and the picture that lies on it."""

import io
import unittest
from typing import ClassVar

import numpy as np
import tifffile
from PIL import Image

from amber_ladder.errors import BadInput
from amber_ladder.settings import settings
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import measure
from amber_ladder.work.merge import contours_of
from amber_ladder.work.stack.views import MergeView
from tests.support.takes import a_merge, shot_stack


class OfAMerge(unittest.TestCase):
    merge: ClassVar[MergeView]

    @classmethod
    def setUpClass(cls) -> None:
        cls.merge = a_merge(shot_stack("RELIEF-1").takes[0].id)

    def test_corners_have_the_depth_of_their_place(self) -> None:
        corners, places, triangles, every = read(measure.surface(self.merge.id, None))
        self.assertLessEqual(len(corners), 40_000)
        self.assertGreater(len(triangles), 1000)
        self.assertLess(int(triangles.max()), len(corners))
        depth = tifffile.imread(FrameStore(settings().data).product_folder(self.merge.id) / "depth.tif")
        column, row = places.astype(int).T
        known = np.isfinite(depth[row, column])
        self.assertTrue(known.all())
        off = -corners[:, 2] - depth[row, column]
        self.assertLess(float(np.median(np.abs(off))), 3.0)
        um_per_px = measure.measuring(self.merge.id).um_per_px or 0.0
        steps = np.diff(corners[:, 0])[np.diff(places[:, 0]) == every]
        np.testing.assert_allclose(np.median(steps), every * um_per_px, rtol=0.02)

    def test_a_part_of_it_comes_finer(self) -> None:
        _, places, _, every = read(measure.surface(self.merge.id, measure.Part(-20, 60, 120, 90)))
        self.assertEqual(every, 1)
        self.assertGreaterEqual(places.min(), 0)
        self.assertLess(float(places[:, 0].max()), 100)
        self.assertEqual(float(places[:, 1].min()), 60)
        with self.assertRaisesRegex(BadInput, "outside the picture"):
            measure.surface(self.merge.id, measure.Part(5000, 0, 90, 90))

    def test_contour_lines_every_so_many_um(self) -> None:
        usual = contours_of(self.merge.id)
        assert usual.step is not None
        step = usual.step / 5
        finer = contours_of(self.merge.id, step)
        self.assertEqual(finer.step, step)
        self.assertGreater(len({one.depth for one in finer.lines}), 2 * len({one.depth for one in usual.lines}))
        for one in finer.lines:
            self.assertAlmostEqual(one.depth / step, round(one.depth / step), delta=1e-6)
        with self.assertRaisesRegex(BadInput, "more than 200 lines"):
            contours_of(self.merge.id, 0.001)

    def test_its_picture_is_the_composites(self) -> None:
        composite = tifffile.imread(FrameStore(settings().data).product_folder(self.merge.id) / "composite.tif")
        part = Image.open(io.BytesIO(measure.texture(self.merge.id, measure.Part(40, 30, 64, 48))))
        self.assertEqual(part.size, (64, 48))
        wanted = composite[30:78, 40:104]
        eight = wanted >> 8 if wanted.dtype == np.uint16 else wanted
        self.assertLess(float(np.abs(np.asarray(part, float) - eight).mean()), 3.0)
        whole = Image.open(io.BytesIO(measure.texture(self.merge.id, None)))
        self.assertLessEqual(max(whole.size), 2048)


def read(content: bytes) -> tuple[np.ndarray, np.ndarray, np.ndarray, int]:
    """Corners (N, 3), places (N, 2), triangles (M, 3), px from corner to corner, as the page reads them."""
    corners, triangles, every = (int(one) for one in np.frombuffer(content, "<u4", 3))
    at = 12
    parts = []
    for count, kind in ((corners * 3, "<f4"), (corners * 2, "<f4"), (triangles * 3, "<u4")):
        parts.append(np.frombuffer(content, kind, count, at))
        at += 4 * count
    assert at == len(content)
    return parts[0].reshape(-1, 3), parts[1].reshape(-1, 2), parts[2].reshape(-1, 3), every


if __name__ == "__main__":
    unittest.main()
