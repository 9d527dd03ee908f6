"""A ladder for the frames that a take from a card lacks."""

import unittest

from amber_ladder.errors import BadInput, Conflict
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work import card, plan, sort
from amber_ladder.work.stack.views import StackView, TakeView
from tests.support.cards import brought_in
from tests.support.takes import new_stack


class Lacking(unittest.TestCase):
    """The third take of the card was shot farthest first, and lacks four frames."""

    stack: StackView
    take: TakeView

    @classmethod
    def setUpClass(cls) -> None:
        number = brought_in().id
        one = card.read(number).stacks[2]
        cls.stack = new_stack("REPAIR-1", near_um=1000, far_um=1700)
        card.set_goes(number, one.first, card.GoesEntry(stack_id=cls.stack.id))
        card.accept(number, card.AcceptEntry(stacks=[one.first]))
        cls.take = plan.read_stack(cls.stack.id).takes[-1]

    def test_the_hole_is_told_from_near_to_far_with_its_width_at_the_planned_step(self) -> None:
        (hole,) = self.take.series.holes
        names = [frame.name for frame in self.take.frames]
        self.assertEqual(names.index(hole.before), names.index(hole.after) + 1)
        self.assertLessEqual(abs(hole.missing - 4), 1)
        self.assertAlmostEqual(hole.um, hole.missing * self.stack.ladder.step_um)

    def test_a_ladder_from_the_frame_before_the_hole_to_the_one_behind_it(self) -> None:
        (hole,) = self.take.series.holes
        more = sort.plan_repair(self.take.id, sort.RepairEntry(after=hole.after))
        step = self.stack.ladder.step_um
        kept = [frame.name for frame in self.take.frames if frame.left_out is None]
        self.assertAlmostEqual(more.plan.near_um, 1000 + step * kept.index(hole.after), places=3)
        self.assertAlmostEqual(more.ladder.step_um, step, places=3)
        self.assertGreaterEqual(more.ladder.frames, hole.missing + 2)
        self.assertEqual(more.rig, self.stack.rig)
        self.assertEqual(more.specimen.id, self.stack.specimen.id)
        self.assertEqual(more.takes, [])

    def test_where_nothing_is_missing_nothing_is_planned(self) -> None:
        with self.assertRaisesRegex(BadInput, "nothing is missing"):
            sort.plan_repair(self.take.id, sort.RepairEntry(after=self.take.frames[0].name))

    def test_without_an_order_nobody_knows_where_it_would_lie(self) -> None:
        with transaction() as session:
            stored = stacks.get_take(session, self.take.id)
            before = dict(stored.run or {})
            stored.run = {**before, "order": "unknown"}
        try:
            with self.assertRaisesRegex(Conflict, "which end is near is not known"):
                sort.plan_repair(self.take.id, sort.RepairEntry(after=self.take.series.holes[0].after))
        finally:
            with transaction() as session:
                stacks.get_take(session, self.take.id).run = before


if __name__ == "__main__":
    unittest.main()
