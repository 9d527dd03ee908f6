"""How simulated specimens answer to where the light comes from."""

import unittest

import numpy as np

from amber_ladder.simulated.lighting import Lighting, lit_by
from amber_ladder.simulated.scene import Sheet


def facet(tilt_deg: float) -> Sheet:
    """A bright face whose normal lies at this angle towards the right."""
    x = np.arange(200, dtype=np.float32)
    depth = np.tile(x * np.float32(np.tan(np.deg2rad(tilt_deg))), (100, 1))
    return Sheet(np.full((100, 200, 3), 0.5, np.float32), np.ones_like(depth), depth)


def middle(sheet: Sheet) -> float:
    return float(sheet.rgb[40:60, 80:120].mean())


class Lit(unittest.TestCase):
    def test_a_face_mirrors_where_the_lamp_stands_at_twice_its_angle(self) -> None:
        for tilt in (-20.0, 0.0, 11.0):
            turned = {deg: middle(lit_by(facet(tilt), 1.0, Lighting(lamp_deg=deg))) for deg in range(-70, 71, 2)}
            self.assertEqual(max(turned, key=lambda deg: turned[deg]), 2 * tilt)
            self.assertGreater(max(turned.values()), 3 * min(turned.values()))

    def test_two_diffused_heads_leave_a_specimen_as_it_was_made(self) -> None:
        sheet = facet(15.0)
        self.assertIs(lit_by(sheet, 1.0, Lighting()), sheet)
        nearly = lit_by(sheet, 1.0, Lighting(left=1.0, right=0.999))
        self.assertAlmostEqual(middle(nearly), middle(sheet), delta=0.001)

    def test_each_head_lights_what_is_turned_to_it_and_bare_ones_harder(self) -> None:
        shades = {}
        for diffused in (True, False):
            left, right = (
                middle(lit_by(facet(30.0), 1.0, Lighting(*shares, diffused=diffused))) for shares in ((1, 0), (0, 1))
            )
            self.assertGreater(right, 1.2 * left)
            shades[diffused] = right / left
        self.assertGreater(shades[False], 2 * shades[True])


if __name__ == "__main__":
    unittest.main()
