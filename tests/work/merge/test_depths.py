"""What a merge's depth map says to the pages."""

import unittest

import numpy as np
import tifffile

from amber_ladder.errors import BadInput, NotFound
from amber_ladder.work import record
from amber_ladder.work.merge import depth_at, depth_of
from tests.support.takes import folder_of, merged, shot_stack, take_of


class Depths(unittest.TestCase):
    def test_legend_and_the_depth_at_a_place_are_those_of_the_file(self) -> None:
        stack = shot_stack()
        done = merged(take_of(stack, stack.takes[0].frames))
        true = np.asarray(tifffile.imread(folder_of(done) / "depth.tif"))
        u = np.asarray(tifffile.imread(folder_of(done) / "depth_u.tif"))
        legend = depth_of(done.id)
        self.assertEqual(legend.unit, "µm")
        self.assertAlmostEqual(legend.known_share, float(np.isfinite(true).mean()))
        assert legend.near is not None
        assert legend.far is not None
        self.assertAlmostEqual(legend.far - legend.near, done.depth_um or 0.0, places=1)
        near, far = legend.colours[0], legend.colours[-1]
        light = [sum(int(one[i : i + 2], 16) for i in (1, 3, 5)) for one in (near, far)]
        self.assertGreater(light[0], light[1])  # pale is near
        for known in (True, False):
            y, x = (int(one[0]) for one in np.nonzero(np.isfinite(true) == known))
            found = depth_at(done.id, x, y)
            self.assertEqual(found.depth, float(true[y, x]) if known else None)
            self.assertEqual(found.u, float(u[y, x]) if known else None)
        with self.assertRaisesRegex(BadInput, "outside the picture"):
            depth_at(done.id, true.shape[1], 0)
        # A merge of an earlier version says nothing of how sure it is, and neither do we.
        (folder_of(done) / "depth_u.tif").unlink()
        y, x = (int(one[0]) for one in np.nonzero(np.isfinite(true)))
        self.assertEqual((depth_at(done.id, x, y).depth, depth_at(done.id, x, y).u), (float(true[y, x]), None))
        with self.assertRaisesRegex(NotFound, "merge the take again"), record.tiff(done.id, "depth_u"):
            pass

    def test_where_nobody_knows_positions_depth_counts_frames(self) -> None:
        stack = shot_stack()
        take_id = take_of(stack, stack.takes[0].frames, source="folder", planned_um=None, reported_um=None, rung=None)
        done = merged(take_id)
        self.assertEqual((depth_of(done.id).unit, done.depth_um), ("frames", None))


if __name__ == "__main__":
    unittest.main()
