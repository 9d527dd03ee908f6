"""To shoot again: a plan that repairs what was wrong, made at once."""

import unittest

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.store import history
from amber_ladder.store.database import transaction
from amber_ladder.work import plan
from tests.support.station import database
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


class Repairing(unittest.TestCase):
    def setUp(self) -> None:
        database()

    def test_an_end_that_was_not_reached_is_passed_with_the_same_step(self) -> None:
        stack = new_stack("RP-1", far_um=700)
        # The lid lies deeper than the last of these frames: nothing was sharp at last.
        a_merge(take_of(stack, shot_stack().takes[0].frames[:19]))
        told = plan.plan_again(stack.id)
        self.assertEqual((told.specimen.id, told.number, told.rig_name), (stack.specimen.id, 2, stack.rig_name))
        self.assertEqual(told.ladder.step_um, stack.ladder.step_um)
        self.assertEqual(told.plan.near_um, stack.plan.near_um)
        self.assertAlmostEqual(told.ladder.far_um, stack.ladder.far_um + 0.25 * 700, delta=2 * stack.ladder.step_um)
        with transaction() as session:
            words = [one.words for one in history.of_stack(session, told.id)]
        self.assertIn("repairs stack 1: the far end was not reached", words[-1])

    def test_a_step_too_coarse_is_planned_by_the_sharp_depth(self) -> None:
        stack = new_stack("RP-2", far_um=700, overlap=None, step_um=90.0)
        a_merge(take_of(stack, shot_stack().takes[0].frames[::4]))
        told = plan.plan_again(stack.id)
        self.assertAlmostEqual(told.ladder.overlap, 0.3, delta=0.1)
        self.assertLess(told.ladder.step_in_medium_um, told.optics.sharp_depth_um)
        self.assertGreater(told.ladder.frames, 2 * stack.ladder.frames)

    def test_what_no_plan_agains_is_refused(self) -> None:
        stack = new_stack("RP-3", far_um=700)
        with self.assertRaisesRegex(Conflict, "another plan would not help"):
            plan.plan_again(stack.id)  # never merged
        a_merge(take_of(stack, shot_stack().takes[0].frames))
        with self.assertRaisesRegex(Conflict, "another plan would not help"):
            plan.plan_again(stack.id)
        with self.assertRaises(NotFound):
            plan.plan_again(999_999)


if __name__ == "__main__":
    unittest.main()
