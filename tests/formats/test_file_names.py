"""File names from a pattern."""

import unittest

from amber_ladder.errors import BadInput
from amber_ladder.formats.file_names import PARTS, USUAL, Part, check_pattern, filled, not_told_apart, safe

VALUES: dict[Part, str] = {
    "number": "TH-0418", "name": "moss capsule", "kind": "moss capsule", "rig": "Bench 10×/0.28", "stack": "1",
    "take": "2", "run": "auto3", "date": "2026-11-20",
}  # fmt: skip


class FileNames(unittest.TestCase):
    def test_a_pattern_is_filled_with_what_its_parts_stand_for(self) -> None:
        for pattern, expected in (
            (USUAL, "TH-0418_stack1_take2_auto3"),
            ("{date}_{number}_{name}_{run}", "2026-11-20_TH-0418_moss-capsule_auto3"),
            ("{number}-{rig}", "TH-0418-Bench-10-0-28"),
            ("{kind}{number}", "moss-capsuleTH-0418"),
        ):
            with self.subTest(pattern):
                check_pattern(pattern, field="files")
                self.assertEqual(filled(pattern, VALUES), expected)

    def test_names_are_kept_by_every_system(self) -> None:
        for number, expected in (
            ("Ångström/Ødegård: 7?", "Angstrom-Odegard-7"),
            ("../../etc/passwd", "etc-passwd"),
            ("CON", "_CON"),
            ("lpt1", "_lpt1"),
            ("岩石", "unnamed"),
            (" .hidden. ", "hidden"),
            ("{take}", "take"),
            ("x" * 60, "x" * 48),
        ):
            with self.subTest(number):
                self.assertEqual(filled("{number}", {**VALUES, "number": number}), expected)
        longest = filled("".join(f"{{{part}}}" for part in PARTS), dict.fromkeys(PARTS, 60 * "y"))
        self.assertLessEqual(len(longest), 120)
        self.assertEqual(safe("a\n\tb\0c"), "a-b-c")

    def test_what_is_no_pattern_says_what_is_wrong(self) -> None:
        for pattern, words in (
            ("{number}_{lens}", "{lens} is no part: choose from {number}, {name}"),
            ("{number", "'{' cannot stand"),
            ("{number}/{take}", "'/' cannot stand"),
            ("{number} {take}", "' ' cannot stand"),
            ("{number}.tif", "'.' cannot stand"),
            ("{stack}_{take}", "without {number}, files of two specimens"),
            ("{NUMBER}", "{NUMBER} is no part"),
        ):
            with self.subTest(pattern), self.assertRaises(BadInput) as told:
                check_pattern(pattern, field="files")
            self.assertIn(words, str(told.exception))
            self.assertEqual(told.exception.field, "files")

    def test_what_names_do_not_tell_apart_is_said(self) -> None:
        self.assertEqual(not_told_apart(USUAL), [])
        self.assertEqual(not_told_apart("{number}_{take}"), ["stacks of one specimen", "runs of one take"])


if __name__ == "__main__":
    unittest.main()
