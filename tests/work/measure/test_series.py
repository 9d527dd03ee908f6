"""Series of measures over several specimens of a kind."""

import csv
import io
import unittest
from typing import ClassVar

from PIL import Image
from pydantic import ValidationError

from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work import deeds, measure
from amber_ladder.work.stack.views import MergeView, StackView
from tests.support.takes import a_merge, new_stack, shot_stack, take_of

KIND = "moss of the series"
ENDS = [(60.0, 150.0), (200.0, 150.0)]


class OverSpecimens(unittest.TestCase):
    stacks: ClassVar[list[StackView]]
    merges: ClassVar[list[MergeView]]

    @classmethod
    def setUpClass(cls) -> None:
        frames = shot_stack("SERIES-0").takes[0].frames[10:18]
        cls.stacks = [new_stack(f"SERIES-{n}", specimen={"kind": KIND}, far_um=700) for n in range(1, 6)]
        cls.merges = [a_merge(take_of(stack, frames)) for stack in cls.stacks]

    def setUp(self) -> None:
        self.set(("width", "length"), ("tooth", "height"))

    def set(self, *items: tuple[str, str]) -> measure.SeriesView:
        entry = {"items": [{"name": name, "kind": kind} for name, kind in items]}
        return measure.set_series(self.merges[0].id, measure.SeriesEntry.model_validate(entry))

    def take(self, number: int, name: str, longer: float = 0.0, kind: str = "length") -> measure.MeasureView:
        points = [ENDS[0], (ENDS[1][0] + longer, ENDS[1][1])]
        entry = measure.MeasureEntry.model_validate({"kind": kind, "points": points, "name": name})
        return measure.take(self.merges[number].id, entry)

    def test_offered_on_the_next_specimen_with_where_it_was_taken_last(self) -> None:
        first = self.take(0, "tooth", kind="height")
        here = {one.name: one for one in measure.series_of(self.merges[0].id).items}
        self.assertEqual(here["tooth"].taken, first.id)
        there = measure.series_of(self.merges[1].id)
        self.assertEqual(there.specimen_kind, KIND)
        self.assertEqual([one.name for one in there.items], ["width", "tooth"])
        tooth = there.items[1]
        assert tooth.last is not None
        self.assertEqual(
            (tooth.taken, tooth.last.measure_id, tooth.last.catalogue_number), (None, first.id, "SERIES-1")
        )
        shown = Image.open(io.BytesIO(measure.place_picture(first.id)))
        self.assertEqual(shown.format, "JPEG")
        self.assertGreater(shown.width, 300)
        # Another kind of measure under the same name is another measure.
        self.set(("tooth", "length"))
        self.assertIsNone(measure.series_of(self.merges[0].id).items[0].taken)

    def test_columns_with_mean_spread_and_what_stands_apart(self) -> None:
        self.set(("span", "length"))
        for number, longer in enumerate((0.0, 1.0, -1.0, 0.5)):
            self.take(number, "span", longer)
        few = measure.series_table(self.merges[0].id).columns[0]
        self.assertEqual((few.n, few.outliers_told), (4, False))
        far = self.take(4, "span", 80.0)
        table = measure.series_table(self.merges[2].id)
        self.assertEqual([row.catalogue_number for row in table.rows], [f"SERIES-{n}" for n in range(1, 6)])
        um = measure.measuring(self.merges[0].id).um_per_px or 0.0
        column = table.columns[0]
        self.assertEqual((column.n, column.unit, column.outliers_told), (5, "µm", True))
        self.assertAlmostEqual((column.mean or 0) / (um * (140 + 80.5 / 5)), 1.0, delta=0.02)
        apart = [row.catalogue_number for row in table.rows for cell in row.cells if cell and cell.outlier]
        self.assertEqual(apart, ["SERIES-5"])
        content, name = measure.series_csv(self.merges[0].id)
        self.assertEqual(name, "series_moss-of-the-series.csv")
        rows = list(csv.DictReader(io.StringIO(content)))
        self.assertEqual([row["catalogue number"] for row in rows[-3:]], ["mean", "s", "n"])
        self.assertEqual(rows[4]["span stands apart"], "yes")
        self.assertEqual(float(rows[-1]["span, µm"]), 5)
        # A measure that is thrown away leaves the column.
        deeds.discard(deeds.DiscardEntry(kind="measure", id=far.id, why="slipped"))
        self.assertEqual(measure.series_table(self.merges[0].id).columns[0].n, 4)

    def test_on_one_stack_the_merge_that_counts_is_asked_first(self) -> None:
        self.set(("brow", "length"))
        other = a_merge(take_id(self.merges[0]))
        self.take(0, "brow", 0.0)
        newer = measure.MeasureEntry.model_validate(
            {"kind": "length", "points": [ENDS[0], (150.0, 150.0)], "name": "brow"}
        )
        on_newest = measure.take(other.id, newer)
        cell = measure.series_table(self.merges[0].id).rows[0].cells[0]
        assert cell is not None
        self.assertEqual(cell.measure_id, on_newest.id)

    def test_a_change_of_the_series_is_undone(self) -> None:
        self.set(("other", "area"))
        last = deeds.last_deed()
        assert last is not None
        self.assertIn("series of measures", last.words)
        deeds.undo(last.id)
        self.assertEqual([one.name for one in measure.series_of(self.merges[0].id).items], ["width", "tooth"])

    def test_names_tell_measures_apart(self) -> None:
        with self.assertRaisesRegex(ValidationError, "two measures are called eye"):
            self.set(("eye", "length"), (" eye ", "area"))
        with self.assertRaises(ValidationError):
            self.set((" ", "length"))


def take_id(merge: MergeView) -> int:
    """The take that a merge is of."""
    with transaction() as session:
        return stacks.get_product(session, merge.id, "merge").take_id


if __name__ == "__main__":
    unittest.main()
