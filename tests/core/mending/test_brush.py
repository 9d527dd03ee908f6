import unittest

import numpy as np

from amber_ladder.core.mending import Box, Brush

WHOLE = Box(0, 0, 120, 90)


class Covering(unittest.TestCase):
    def test_a_soft_brush_fades_from_its_middle_to_its_rim(self) -> None:
        share = Brush(((60.0, 40.0),), 20.0, 1.0, 0.85).covering(WHOLE)
        self.assertAlmostEqual(float(share[40, 60]), 0.85, places=5)
        self.assertAlmostEqual(float(share[40, 70]), 0.425, places=5)  # half way, half as much
        self.assertEqual(float(share[40, 80]), 0.0)
        self.assertTrue((np.diff(share[40, 60:82]) <= 0).all())

    def test_a_hard_brush_covers_the_area_of_its_circle(self) -> None:
        share = Brush(((60.0, 40.0),), 20.0, 0.0, 1.0).covering(WHOLE)
        self.assertAlmostEqual(float(share.sum()), np.pi * 20.0**2, delta=8.0)
        self.assertEqual(float(share[40, 78]), 1.0)

    def test_a_line_is_covered_from_end_to_end_and_no_more_where_it_crosses_itself(self) -> None:
        path = ((20.0, 20.0), (90.0, 20.0), (90.0, 60.0), (55.0, 60.0), (55.0, 5.0))
        share = Brush(path, 8.0, 0.5, 0.6).covering(WHOLE)
        for x, y in ((20, 20), (55, 20), (90, 40), (70, 60), (55, 40)):
            self.assertAlmostEqual(float(share[y, x]), 0.6, places=5)
        self.assertEqual(float(share.max()), np.float32(0.6))
        self.assertEqual(float(share[40, 30]), 0.0)

    def test_a_part_is_what_the_whole_has_there_and_nothing_lies_beyond_its_box(self) -> None:
        brush = Brush(((10.0, 12.5), (70.25, 60.0)), 9.3, 0.7, 1.0)
        whole, part = brush.covering(WHOLE), Box(33, 20, 77, 64)
        self.assertTrue((whole[WHOLE.part(part)] == brush.covering(part)).all())
        inside = np.zeros(WHOLE.shape, np.bool_)
        inside[WHOLE.part(brush.box.within(WHOLE))] = True
        self.assertEqual(float(whole[~inside].max()), 0.0)


if __name__ == "__main__":
    unittest.main()
