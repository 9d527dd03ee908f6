"""Frames that a person leaves out or takes back."""

import unittest

from amber_ladder.errors import Conflict
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work import plan, sort
from amber_ladder.work.stack.views import TakeView
from tests.support.takes import merged, shot_stack, take_of


class ByHand(unittest.TestCase):
    def setUp(self) -> None:
        self.stack = shot_stack()
        self.take_id = take_of(self.stack, self.stack.takes[0].frames)
        self.frames = self.take().frames

    def take(self) -> TakeView:
        return next(one for one in plan.read_stack(self.stack.id).takes if one.id == self.take_id)

    def test_what_is_left_out_takes_no_part_in_the_next_merge_and_comes_back_as_easily(self) -> None:
        before = merged(self.take_id)
        second = self.frames[1]
        take = sort.leave_out(second.id, sort.LeaveOutEntry(reason="a wing moved"))
        self.assertEqual((take.series.used, len(take.frames)), (len(self.frames) - 1, len(self.frames)))
        self.assertEqual(
            [(one.name, one.reason) for one in take.series.left_out], [("arrived_001.jpg", "a wing moved")]
        )
        self.assertEqual(take.series.missing, [1])
        after = merged(self.take_id)
        assert after.report is not None
        assert before.report is not None
        self.assertIn({"file": "arrived_001.jpg", "reason": "a wing moved"}, after.report["excluded"])
        self.assertNotIn("arrived_001.jpg", after.report["frames_used"])
        # The merge that was there keeps what it was made from.
        self.assertIn("arrived_001.jpg", before.report["frames_used"])
        take = sort.take_back(second.id)
        self.assertEqual((take.series.used, take.series.left_out, take.series.missing), (len(self.frames), [], []))

    def test_the_first_reason_stays(self) -> None:
        sort.leave_out(self.frames[0].id, sort.LeaveOutEntry(reason="dark"))
        take = sort.leave_out(self.frames[0].id, sort.LeaveOutEntry())
        self.assertEqual(take.series.left_out[0].reason, "dark")

    def test_what_cannot_be_merged_or_has_a_successor_is_not_taken_back(self) -> None:
        with transaction() as session:
            frames = stacks.get_take(session, self.take_id).frames
            frames[2].bits, frames[2].left_out = 16, "is of 16 bits"
            frames[3].left_out, frames[4].rung = "was shaken", frames[3].rung
        with self.assertRaisesRegex(Conflict, "16 bits"):
            sort.take_back(self.frames[2].id)
        with self.assertRaisesRegex(Conflict, r"arrived_004.jpg stands for rung 4 already"):
            sort.take_back(self.frames[3].id)

    def test_a_take_that_is_being_shot_is_left_alone(self) -> None:
        with transaction() as session:
            stacks.get_take(session, self.take_id).complete = False
        with self.assertRaisesRegex(Conflict, "not complete"):
            sort.leave_out(self.frames[0].id, sort.LeaveOutEntry())


if __name__ == "__main__":
    unittest.main()
