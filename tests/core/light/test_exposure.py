"""Test frames and frames with the flash off, of known light."""

import unittest

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import encode_srgb
from amber_ladder.core.light import read_light, room_light


def frame(brightest: float, *, seed: int = 0) -> NDArray[np.uint8]:
    """Even shades of linear light from nothing to ``brightest``, with a little noise; clips at 1."""
    random = np.random.default_rng(seed)
    light = np.tile(np.linspace(0.0, brightest, 400, dtype=np.float32), (300, 1))
    light = light + random.normal(0, 0.002, light.shape).astype(np.float32)
    return np.repeat(np.rint(encode_srgb(light) * 255).astype(np.uint8)[..., None], 3, axis=2)


class ReadLight(unittest.TestCase):
    def test_the_change_brings_the_brightest_to_where_they_belong(self) -> None:
        for stops in (-3.0, -1.5, -0.5, 0.0):
            reading = read_light(frame(0.72 * 2**stops))
            self.assertAlmostEqual(reading.change_stops, -stops, delta=0.12)
            self.assertAlmostEqual(reading.headroom_stops, 0.47 - stops, delta=0.12)

    def test_a_frame_that_clips_must_be_darker_by_a_stop_at_least(self) -> None:
        reading = read_light(frame(2.0))
        self.assertEqual(reading.headroom_stops, 0.0)
        self.assertLessEqual(reading.change_stops, -1.0)
        self.assertAlmostEqual(max(reading.clipped), 0.5, delta=0.02)

    def test_glare_is_a_clipped_place_and_not_a_washed_out_field(self) -> None:
        picture = frame(0.5)
        picture[100:112, 50:62] = 255
        spots = read_light(picture).glare
        self.assertEqual(len(spots), 1)
        self.assertAlmostEqual(spots[0].x, 50 / 400, delta=0.01)
        self.assertEqual(spots[0].pixels, 144)
        self.assertEqual(read_light(frame(3.0)).glare, ())

    def test_counts_add_up(self) -> None:
        self.assertEqual([sum(one) for one in read_light(frame(0.4)).histogram], [120_000] * 3)


class RoomLight(unittest.TestCase):
    def test_black_is_black(self) -> None:
        found = room_light(frame(0.001))
        self.assertTrue(found.black)
        self.assertIsNone(found.stops)

    def test_stops_below_the_flash(self) -> None:
        for stops in (-2.0, -4.0):
            found = room_light(frame(0.72 * 2**stops))
            self.assertFalse(found.black)
            self.assertAlmostEqual(found.stops or 0.0, stops, delta=0.2)


if __name__ == "__main__":
    unittest.main()
