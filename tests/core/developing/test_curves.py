import math
import unittest

import numpy as np

from amber_ladder.core.colour import decode_srgb, encode_srgb
from amber_ladder.core.developing import (
    NEUTRAL,
    Development,
    apply_curves,
    as_it_lies,
    balanced_on,
    curves,
    upright,
)
from amber_ladder.errors import BadInput


def developed(value: float, settings: Development, multipliers: tuple[float, float, float] = NEUTRAL) -> list[float]:
    """What linear light becomes, as it is written, 0 to 1, in each channel."""
    number = round(value * 65535)
    return [float(one) / 65535 for one in curves(settings, multipliers, bits=16, linear=True)[:, number]]


def encoded(light: float) -> float:
    return float(encode_srgb(np.array([light], np.float32))[0])


class TestCurves(unittest.TestCase):
    def test_with_nothing_set_values_stay_as_they_are(self) -> None:
        tables = curves(Development(), NEUTRAL, bits=8, linear=False)
        np.testing.assert_array_equal(tables[1], np.arange(256) * 257)
        deep = curves(Development(), NEUTRAL, bits=16, linear=False)
        np.testing.assert_array_equal(deep[0], np.arange(65536))

    def test_a_stop_doubles_light(self) -> None:
        for value in (0.05, 0.2, 0.4):
            self.assertAlmostEqual(developed(value, Development(1.0))[1], encoded(2 * value), delta=2e-4)
        self.assertEqual(developed(0.7, Development(1.0))[1], 1.0)

    def test_multipliers_act_on_light(self) -> None:
        red, green, blue = developed(0.2, Development(), (1.5, 1.0, 0.5))
        for found, light in ((red, 0.3), (green, 0.2), (blue, 0.1)):
            self.assertAlmostEqual(found, encoded(light), delta=2e-4)

    def test_black_is_taken_away_and_white_stays(self) -> None:
        settings = Development(black=0.1)
        self.assertAlmostEqual(developed(0.1, settings)[0], 0.0, delta=2e-4)
        self.assertEqual(developed(0.05, settings)[0], 0.0)
        self.assertEqual(developed(1.0, settings)[0], 1.0)
        self.assertAlmostEqual(developed(0.55, settings)[0], encoded(0.5), delta=2e-4)

    def test_linear_tone_writes_light_itself(self) -> None:
        for value in (0.01, 0.18, 0.9):
            self.assertAlmostEqual(developed(value, Development(tone="linear"))[1], value, delta=1e-4)

    def test_shadows_lift_the_dark_and_highlights_lower_the_bright(self) -> None:
        dark, bright = 0.02, 0.7
        lifted, lowered = Development(shadows=0.6), Development(highlights=-0.6)
        self.assertGreater(developed(dark, lifted)[0], developed(dark, Development())[0] + 0.03)
        self.assertLess(developed(bright, lowered)[0], developed(bright, Development())[0] - 0.03)
        self.assertLess(abs(developed(bright, lifted)[0] - developed(bright, Development())[0]), 0.01)
        for settings in (lifted, lowered):
            self.assertEqual((developed(0.0, settings)[0], developed(1.0, settings)[0]), (0.0, 1.0))

    def test_tones_keep_their_order_whatever_is_set(self) -> None:
        for shadows in (-1.0, 0.0, 1.0):
            for highlights in (-1.0, 0.0, 1.0):
                with self.subTest(shadows=shadows, highlights=highlights):
                    settings = Development(highlights=highlights, shadows=shadows)
                    table = curves(settings, NEUTRAL, bits=16, linear=False)[0].astype(np.int64)
                    self.assertGreaterEqual(int(np.diff(table).min()), 0)

    def test_settings_out_of_range_are_refused_by_name(self) -> None:
        for settings, name in (
            (Development(exposure_stops=7), "exposure_stops"),
            (Development(black=-0.1), "black"),
            (Development(shadows=1.5), "shadows"),
            (Development(highlights=math.nan), "highlights"),
        ):
            with self.subTest(name=name), self.assertRaisesRegex(BadInput, name):
                curves(settings, NEUTRAL, bits=8, linear=False)


class TestApplyCurves(unittest.TestCase):
    def test_each_channel_goes_through_its_own_table(self) -> None:
        random = np.random.default_rng(1)
        for bits, dtype in ((8, np.uint8), (16, np.uint16)):
            picture = random.integers(0, 1 << bits, (20, 30, 3)).astype(dtype)
            tables = curves(Development(0.3), (1.2, 1.0, 0.8), bits=bits, linear=False)
            found = apply_curves(picture, tables)
            for channel in range(3):
                np.testing.assert_array_equal(found[..., channel], tables[channel][picture[..., channel]])


class TestBalancedOn(unittest.TestCase):
    def test_a_tinted_grey_becomes_neutral(self) -> None:
        tinted = np.array([0.3, 0.2, 0.1])
        balanced = tinted * balanced_on(tinted)
        np.testing.assert_allclose(balanced, 0.2)

    def test_dark_and_clipped_places_tell_nothing(self) -> None:
        with self.assertRaisesRegex(BadInput, "too dark"):
            balanced_on(np.array([0.3, 0.2, 0.001]))
        with self.assertRaisesRegex(BadInput, "clipped"):
            balanced_on(np.array([1.0, 0.9, 0.8]))


class TestUpright(unittest.TestCase):
    def test_places_are_found_again_in_all_eight_ways(self) -> None:
        lies = np.arange(4 * 6 * 3).reshape(4, 6, 3).astype(np.uint16)
        for orientation in range(1, 9):
            with self.subTest(orientation=orientation):
                stands = upright(lies, orientation)
                self.assertEqual(stands.shape[:2], (4, 6) if orientation < 5 else (6, 4))
                for y in range(stands.shape[0]):
                    for x in range(stands.shape[1]):
                        at_x, at_y = as_it_lies(x, y, (6, 4), orientation)
                        np.testing.assert_array_equal(stands[y, x], lies[at_y, at_x])

    def test_a_camera_on_its_side_is_turned_as_exif_says(self) -> None:
        # EXIF 2.3: 6 says that the file's first row is the right side of the picture, 8 that it is the left one.
        lies = np.zeros((4, 6, 3), np.uint8)
        lies[0] = 200
        self.assertTrue(bool((upright(lies, 6)[:, -1] == 200).all()))
        self.assertTrue(bool((upright(lies, 8)[:, 0] == 200).all()))

    def test_decoding_and_encoding_agree(self) -> None:
        values = np.linspace(0, 1, 4096, dtype=np.float32)
        np.testing.assert_allclose(encode_srgb(decode_srgb(values)), values, atol=1e-5)
