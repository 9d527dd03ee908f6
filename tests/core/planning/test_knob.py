"""A knob's readings, and back."""

import unittest
from dataclasses import replace
from math import sqrt

from amber_ladder.core.planning import Knob, Reading, position_at, reading_at, u_position_um

FINE = Knob(um_per_division=2.0, divisions_per_turn=100, near_um=0.0, near_reading=12.5)


class Readings(unittest.TestCase):
    def test_figures_rise_and_turns_are_counted(self) -> None:
        told = [reading_at(FINE, um) for um in (0.0, 50.0, 175.0, 400.0, -30.0)]
        expected = [Reading(0, 12.5), Reading(0, 37.5), Reading(1, 0.0), Reading(2, 12.5), Reading(-1, 97.5)]
        self.assertEqual(told, expected)

    def test_figures_that_fall_as_focus_goes_deeper(self) -> None:
        falling = replace(FINE, farther="falling")
        self.assertEqual(reading_at(falling, 20.0), Reading(0, 2.5))
        self.assertEqual(reading_at(falling, 30.0), Reading(-1, 97.5))

    def test_a_full_drum_is_the_next_turn_whatever_was_rounded(self) -> None:
        thirds = Knob(um_per_division=0.3, divisions_per_turn=60, near_um=0.0, near_reading=0.0)
        told = reading_at(thirds, sum([0.3] * 60))  # 17.999999999999996 µm
        self.assertEqual((told.turn, round(told.division, 6)), (1, 0.0))

    def test_back_from_a_reading_to_the_nearest_place_that_shows_it(self) -> None:
        for knob in (FINE, replace(FINE, farther="falling")):
            for at_um in (-310.0, 0.0, 73.0, 1234.5):
                reading = reading_at(knob, at_um)
                for off_um in (-80.0, 0.0, 80.0):
                    self.assertAlmostEqual(position_at(knob, reading.division, beside_um=at_um + off_um), at_um)

    def test_uncertainty_of_a_move_is_that_of_the_scale_and_of_two_settings(self) -> None:
        self.assertIsNone(u_position_um(FINE, 100.0))
        measured = replace(FINE, u_um_per_division=0.02)
        # 1 % of 300 µm, and twice half a division of 2 µm spread evenly.
        self.assertAlmostEqual(u_position_um(measured, 300.0) or 0.0, sqrt(3.0**2 + 2 * 1.0**2 / 12))


if __name__ == "__main__":
    unittest.main()
