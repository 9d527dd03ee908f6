"""Where rungs are missing, told by positions or by how fast sharpness falls from frame to frame."""

import unittest

import numpy as np

from amber_ladder.core.fusion._gaps import by_falls, by_places

SHARP = np.full(11, 0.06)


def falling(**others: tuple[float, float]) -> np.ndarray:
    """As usual between eleven frames, but after ``after_4`` and so on: seen from before, and from behind."""
    found = np.full((10, 2), 1.0)
    for name, both in others.items():
        found[int(name.removeprefix("after_"))] = both
    return found


class ByFalls(unittest.TestCase):
    def test_a_gap_is_told_once_though_sharpness_falls_fast_on_the_other_sides_of_its_frames_too(self) -> None:
        beside = falling(after_3=(1.0, 2.3), after_4=(7.0, 6.6), after_5=(2.8, 1.4))
        self.assertEqual(by_falls(beside, SHARP), [4])

    def test_two_gaps_with_one_frame_between_are_both_told(self) -> None:
        self.assertEqual(by_falls(falling(after_4=(4.0, 5.0), after_5=(4.5, 4.0)), SHARP), [4, 5])

    def test_none_is_told_where_all_falls_alike_or_hardly_anything_lies_beyond(self) -> None:
        self.assertEqual(by_falls(falling(), SHARP), [])
        beyond = SHARP.copy()
        beyond[5:] = 0.0004
        self.assertEqual(by_falls(falling(after_4=(7.0, 7.0)), beyond), [])


class ByPlaces(unittest.TestCase):
    def test_frames_of_a_fine_ladder_show_little_each_and_witness_a_gap_together(self) -> None:
        fine = np.full(20, 0.0009)
        self.assertEqual(by_places([*range(10), *range(13, 23)], fine), [9])

    def test_where_little_is_sharp_in_all_a_part_of_that_is_witness_enough_and_specks_are_not(self) -> None:
        places = [*range(10), *range(13, 23)]
        self.assertEqual(by_places(places, np.full(20, 0.0004)), [9])
        self.assertEqual(by_places(places, np.full(20, 0.0001)), [])

    def test_none_is_told_where_hardly_anything_is_sharp_as_far_around_as_it_is_wide(self) -> None:
        sharp = np.full(20, 0.01)
        sharp[6:14] = 0.0001
        self.assertEqual(by_places([*range(10), *range(13, 23)], sharp), [])
        self.assertEqual(by_places([*range(4), *range(7, 23)], sharp), [3])


if __name__ == "__main__":
    unittest.main()
