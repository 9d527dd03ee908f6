"""Lists of specimens: tried first, brought in together, and undone at once."""

import unittest

from amber_ladder.errors import BadInput, Conflict
from amber_ladder.work import cabinet, deeds
from tests.support.station import database

LIST = b"""Number;Vernacular;Kind;Latitude;Collected;Shelf
LI-1;sundew tentacle;plant;54,5;2026-05;A
LI-2;garnet;mineral;;2026-05-31;B
LI-3;;mineral;;;
LI-4;gnat in resin;insect;95;;
LI-1;sundew again;plant;;;
LI-5;graupel;snow;;May;
"""
ENTRIES = ["catalogue_number", "name", "kind", "latitude", "collected_on", ""]


class Lists(unittest.TestCase):
    def setUp(self) -> None:
        database()

    def test_it_is_tried_without_changing_anything(self) -> None:
        guess = cabinet.try_list([LIST])
        self.assertEqual(
            [one.entry for one in guess.columns], ["catalogue_number", "", "kind", "latitude", "collected_on", ""]
        )
        self.assertEqual(guess.columns[1].example, "sundew tentacle")
        told = cabinet.try_list([LIST], ENTRIES)
        self.assertEqual((told.lines, told.good, told.there, told.brought), (6, 2, 0, 0))
        self.assertEqual(
            [(one.line, one.column, one.reason) for one in told.faults],
            [(4, "Vernacular", "is missing"), (5, "Latitude", "must be 90 or less"),
             (6, "Number", "LI-1 stands in line 2 already"),
             (7, "Collected", "must be a day as in 2026-11-28, 2026-11 or 2026")],
        )  # fmt: skip
        self.assertEqual(cabinet.browse("LI-").rows, [])

    def test_good_lines_come_together_and_go_together(self) -> None:
        told = cabinet.bring_list([LIST], ENTRIES)
        self.assertEqual(told.brought, 2)
        first = next(row.specimen for row in cabinet.browse("LI-1").rows)
        self.assertEqual((first.name, first.latitude, first.collected_on), ("sundew tentacle", 54.5, "2026-05"))
        again = cabinet.try_list([LIST], ENTRIES)
        self.assertEqual((again.good, again.there), (0, 2))
        with self.assertRaisesRegex(Conflict, "no line of this list"):
            cabinet.bring_list([LIST], ENTRIES)
        other = cabinet.try_list([LIST.replace(b"sundew tentacle", b"another")], ENTRIES)
        self.assertIn("LI-1 is in the cabinet with another label", [one.reason for one in other.faults])
        last = deeds.last_deed()
        assert last is not None
        self.assertEqual(last.words, "2 specimens brought in from a list")
        deeds.undo(last.id)
        self.assertEqual(cabinet.browse("LI-").rows, [])

    def test_a_determination_stands_for_a_name_and_one_kind_for_all(self) -> None:
        content = b"catalogNumber,scientificName\nLK-1,Bryum capillare\n"
        self.assertEqual(cabinet.try_list([content]).good, 0)
        self.assertEqual(cabinet.try_list([content], kind="plant").good, 1)
        entries = ["catalogue_number", "determination"]
        cabinet.bring_list([content], entries, kind="plant")
        (row,) = cabinet.browse("LK-1").rows
        self.assertEqual((row.specimen.name, row.specimen.determination), ("Bryum capillare", "Bryum capillare"))

    def test_columns_that_cannot_be_matched_so(self) -> None:
        for entries, words in ((["catalogue_number"], "6 columns"), ([*ENTRIES[:5], "name"], "two columns"),
                               ([*ENTRIES[:5], "password"], "no entry password")):  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                cabinet.try_list([LIST], entries)
