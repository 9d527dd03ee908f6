"""The light of a marked place, of known brightness."""

import unittest

import numpy as np

from amber_ladder.core.colour import encode_srgb
from amber_ladder.core.light import place_light


def picture(background: float, spot: float, *, x: int = 300, y: int = 100, radius: int = 12) -> np.ndarray:
    """A disc of one linear light in a field of another, (200, 400, 3)."""
    light = np.full((200, 400), background, np.float32)
    rows, columns = np.ogrid[:200, :400]
    light[(rows - y) ** 2 + (columns - x) ** 2 <= radius**2] = spot
    return np.repeat(np.rint(255 * encode_srgb(light)).astype(np.uint8)[..., None], 3, axis=2)


class PlaceLight(unittest.TestCase):
    def test_stops_below_full_scale_of_the_place_alone(self) -> None:
        for stops in (-1.0, -3.0, -5.0):
            light = place_light(picture(0.9, 2.0**stops), 300 / 399, 100 / 199, 10 / 400)
            self.assertAlmostEqual(light.stops, stops, delta=0.03)
            self.assertEqual(light.clipped, 0.0)

    def test_what_is_washed_out_is_said(self) -> None:
        light = place_light(picture(0.1, 1.0, radius=6), 300 / 399, 100 / 199, 12 / 400)
        self.assertAlmostEqual(light.clipped, 0.25, delta=0.03)

    def test_at_the_border_and_below_a_pixel_it_counts_what_is_there(self) -> None:
        whole = picture(0.25, 0.25)
        for x, y, radius in ((0.0, 0.0, 0.05), (1.0, 1.0, 0.05), (1.0, 0.0, 0.2), (0.5, 0.5, 1e-6), (0.503, 0.501, 0)):
            self.assertAlmostEqual(place_light(whole, x, y, radius).stops, -2.0, delta=0.03)

    def test_a_black_place_has_a_figure_too(self) -> None:
        self.assertEqual(place_light(picture(0.0, 0.0), 0.5, 0.5, 0.01).stops, -10.0)


if __name__ == "__main__":
    unittest.main()
