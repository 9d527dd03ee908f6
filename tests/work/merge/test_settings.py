"""How a take is merged: what is set, what cannot be, and what stands in the report."""

import unittest

import numpy as np
import tifffile
from pydantic import ValidationError

from amber_ladder.errors import BadInput
from amber_ladder.work import merge, plan, tasks
from amber_ladder.work.merge import MergeEntry
from amber_ladder.work.stack.views import MergeView
from tests.support.takes import folder_of, merged, shot_stack, take_of


def done(take_id: int, entry: MergeEntry) -> MergeView:
    begun = merge.begin_merge(take_id, entry)
    tasks.run(begun.task.id)
    stack = plan.read_stack(shot_stack().id)
    return next(one for take in stack.takes for one in take.merges if one.id == begun.id)


class Settings(unittest.TestCase):
    def test_a_sharp_range_is_in_micrometres_below_the_nearest_frame(self) -> None:
        stack = shot_stack()
        step = stack.ladder.step_in_medium_um
        one = done(stack.takes[0].id, MergeEntry(method="select", sharp_near_um=4.2 * step, sharp_far_um=9.8 * step))
        assert one.report is not None, one.task.message
        share = list(one.report["share"].values())
        self.assertEqual([place for place, given in enumerate(share) if given == 0.0 and not 4 <= place <= 10],
                         [place for place in range(len(share)) if not 4 <= place <= 10])  # fmt: skip
        self.assertAlmostEqual(sum(share[4:11]), 1.0, delta=1e-4)
        self.assertEqual((one.report["settings"]["sharp_near_um"], one.report["settings"]["sharp_far_um"]),
                         (4.2 * step, 9.8 * step))  # fmt: skip
        # Depth is measured all the same, and as surely.
        whole = merged(stack.takes[0].id)
        for name in ("depth.tif", "depth_u.tif"):
            part, complete = (tifffile.imread(folder_of(merge) / name) for merge in (one, whole))
            np.testing.assert_array_equal(part, complete)

    def test_a_range_that_means_nothing_is_refused_before_any_work(self) -> None:
        stack = shot_stack()
        before = plan.read_stack(stack.id)
        with self.assertRaisesRegex(ValidationError, "farther away than it begins"):
            MergeEntry(sharp_near_um=400, sharp_far_um=100)
        with self.assertRaisesRegex(ValidationError, "farther away than it begins"):
            MergeEntry(sharp_far_um=0)
        unknown = take_of(stack, stack.takes[0].frames, source="files", planned_um=None, reported_um=None)
        with self.assertRaisesRegex(BadInput, "leave the range empty"):
            merge.begin_merge(unknown, MergeEntry(sharp_near_um=10))
        self.assertEqual(sum(len(take.merges) for take in plan.read_stack(stack.id).takes),
                         sum(len(take.merges) for take in before.takes))  # fmt: skip

    def test_the_side_from_which_what_moved_is_shown_stands_in_the_report(self) -> None:
        one = done(shot_stack().takes[0].id, MergeEntry(method="select", moved="far"))
        assert one.report is not None, one.task.message
        self.assertEqual(one.report["settings"]["moved"], "far")
        self.assertEqual([finding["kind"] for finding in one.report["findings"] if finding["kind"] == "moved"], [])
        with self.assertRaisesRegex(ValidationError, "'auto', 'near' or 'far'"):
            MergeEntry(moved="before")  # type: ignore[arg-type]

    def test_a_range_beyond_the_frames_ends_with_where_they_reach(self) -> None:
        stack = shot_stack()
        begun = merge.begin_merge(stack.takes[0].id, MergeEntry(sharp_near_um=50_000))
        tasks.run(begun.task.id)
        task = next(one for take in plan.read_stack(stack.id).takes for one in take.merges if one.id == begun.id).task
        self.assertEqual(task.state, "failed")
        self.assertIn("the frames reach from 0 to", task.message)

    def test_auto_is_what_nobody_chose_and_says_what_it_used(self) -> None:
        one = done(shot_stack().takes[0].id, MergeEntry())
        assert one.report is not None, one.task.message
        self.assertEqual((one.method, one.report["method"]), ("auto", "auto"))
        self.assertEqual(set(one.report["gave"]), {"select", "pyramid"})
        self.assertAlmostEqual(sum(one.report["gave"].values()), 1.0, delta=1e-3)


if __name__ == "__main__":
    unittest.main()
