"""One merge counts for its stack: the newest until a person says which, and all that follows goes by it."""

import csv
import unittest
from datetime import timedelta

from amber_ladder.errors import Conflict
from amber_ladder.store.base import now
from amber_ladder.work import cabinet, deeds, ledger, merge, plan, record
from amber_ladder.work.deeds import KEPT_DAYS
from tests.support.station import database
from tests.support.takes import merged, new_stack, shot_stack, take_of


class Counting(unittest.TestCase):
    def setUp(self) -> None:
        database()
        self.number = f"CO-{self._testMethodName[5:]}"[:60]
        self.stack = new_stack(self.number, far_um=700)
        take_id = take_of(self.stack, shot_stack().takes[0].frames[10:16])
        self.first, self.second = (merged(take_id, method) for method in ("select", "blend"))

    def counts(self) -> int:
        """The merge that counts, as each place has it."""
        take = plan.read_stack(self.stack.id).takes[0]
        (counted,) = (one for one in take.merges if one.counts)
        (row,) = cabinet.browse(self.number).rows
        lines = csv.DictReader(ledger.as_csv().splitlines())
        (line,) = (line for line in lines if line["catalogue number"] == self.number)
        self.assertEqual(row.merge_id, counted.id)
        self.assertEqual((line["merge"], line["method"]), (str(counted.number), counted.method))
        for one in take.merges:
            self.assertEqual(record.label(one.id).counts, one.counts)
            self.assertEqual(record.record(one.id)[0]["merge"]["counts"], one.counts)
        return counted.id

    def test_the_newest_until_one_is_chosen_and_undone_it_is_the_newest_again(self) -> None:
        self.assertEqual(self.counts(), self.second.id)
        merge.let_count(self.first.id)
        self.assertEqual(self.counts(), self.first.id)
        third = merged(plan.read_stack(self.stack.id).takes[0].id, "select")
        self.assertEqual(self.counts(), self.first.id)
        last = deeds.last_deed()
        assert last is not None
        self.assertIn("merge 1 (select) of take 1 counts", last.words)
        deeds.undo(last.id)
        self.assertEqual(self.counts(), third.id)

    def test_one_that_was_discarded_counts_no_more_and_brought_back_it_does(self) -> None:
        merge.let_count(self.first.id)
        gone = deeds.discard(deeds.DiscardEntry(kind="merge", id=self.first.id, why="a trial"))
        self.assertEqual(self.counts(), self.second.id)
        deeds.restore(gone.id)
        self.assertEqual(self.counts(), self.first.id)

    def test_one_that_was_removed_for_good_leaves_the_stack_whole(self) -> None:
        merge.let_count(self.first.id)
        merge.let_count(self.second.id)
        last = deeds.last_deed()
        assert last is not None
        deeds.discard(deeds.DiscardEntry(kind="merge", id=self.first.id, why="a trial"))
        with self.assertRaisesRegex(Conflict, "the merge that counted before was discarded since"):
            deeds.undo(last.id)
        merge.let_count(self.second.id)
        deeds.discard(deeds.DiscardEntry(kind="merge", id=self.second.id, why="a trial"))
        self.assertGreater(deeds.remove_old(now() + timedelta(days=KEPT_DAYS + 1)), 0)
        self.assertEqual(plan.read_stack(self.stack.id).takes[0].merges, [])

    def test_one_that_is_not_finished_cannot_count(self) -> None:
        begun = merge.begin_merge(plan.read_stack(self.stack.id).takes[0].id, merge.MergeEntry(method="select"))
        with self.assertRaisesRegex(Conflict, "not finished"):
            merge.let_count(begun.id)


if __name__ == "__main__":
    unittest.main()
