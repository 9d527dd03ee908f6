"""Which rung a body's file is for."""

import unittest

from amber_ladder.work.shoot.file_numbers import FileNumbers


class Numbers(unittest.TestCase):
    def told(self, *names: str, first: int = 0) -> list[tuple[int, int]]:
        numbers = FileNumbers(first)
        return [numbers.rung_of(name) for name in names]

    def test_they_count_from_wherever_the_camera_stands(self) -> None:
        self.assertEqual(self.told("DSC_0998.jpg", "DSC_0999.jpg", "DSC_1000.jpg", first=4), [(4, 0), (5, 0), (6, 0)])

    def test_a_file_that_never_came_leaves_its_rung_empty(self) -> None:
        self.assertEqual(self.told("a_1.jpg", "a_2.jpg", "a_5.jpg", "a_6.jpg"), [(0, 0), (1, 0), (4, 2), (5, 0)])

    def test_a_counter_that_begins_anew_or_leaps_counts_nothing(self) -> None:
        self.assertEqual(self.told("a_9999.jpg", "a_0001.jpg", "a_0002.jpg"), [(0, 0), (1, 0), (2, 0)])
        self.assertEqual(self.told("a_1.jpg", "a_900.jpg"), [(0, 0), (1, 0)])

    def test_without_numbers_they_are_taken_as_they_come(self) -> None:
        self.assertEqual(self.told("near.jpg", "middle.jpg", "far.jpg"), [(0, 0), (1, 0), (2, 0)])

    def test_the_same_number_is_the_same_rung(self) -> None:
        self.assertEqual(self.told("a_1.jpg", "a_2.dng", "a_2.jpg", "a_3.jpg"), [(0, 0), (1, 0), (1, 0), (2, 0)])


if __name__ == "__main__":
    unittest.main()
