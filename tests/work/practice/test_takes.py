"""Takes on a simulated stand: the run of the bench, hurried; stopped and taken up again like any other."""

import unittest

from amber_ladder.errors import BadInput, Conflict, Stopped
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import plan, tasks
from amber_ladder.work.practice import takes
from amber_ladder.work.shoot import RunEntry
from amber_ladder.work.shoot.take_ladder import new_ladder
from amber_ladder.work.shoot.takes import can_go_on
from amber_ladder.work.stack.views import stack_ladder
from tests.support.station import database
from tests.support.takes import new_stack

_COUNT = iter(range(1000))


class Practice(unittest.TestCase):
    def setUp(self) -> None:
        database()
        self.stack = new_stack(f"PR-{next(_COUNT)}")
        self.take = takes.begin_take(self.stack.id, "graupel")
        assert self.take.task is not None
        self.task_id = self.take.task.id

    def shoot_until(self, count: int) -> None:
        def progress(_phase: str, done: int, _total: int) -> None:
            if done >= count:
                raise Stopped("stopped by hand")

        with self.assertRaises(Stopped):
            takes.shoot_take(self.task_id, progress)

    def test_every_rung_lies_where_it_was_planned_and_reported(self) -> None:
        tasks.run(self.task_id)
        take = plan.read_stack(self.stack.id).takes[0]
        kept = [frame for frame in take.frames if frame.left_out is None]
        self.assertEqual([frame.planned_um for frame in kept], self.stack.ladder.positions_um)
        self.assertEqual([frame.reported_um for frame in kept], self.stack.ladder.positions_um)
        self.assertEqual(take.series.depth_from, "reported")
        self.assertAlmostEqual(take.series.step_um or 0.0, self.stack.ladder.step_um)
        self.assertEqual((take.series.missing, take.series.gaps, take.series.warnings), ([], [], []))
        self.assertEqual(take.devices, {"rail": "simulated", "camera": "simulated", "folder": None, "flaws": []})

    def test_the_bench_does_not_mend_what_another_stand_shot(self) -> None:
        self.shoot_until(4)
        take = plan.read_stack(self.stack.id).takes[0]
        self.assertFalse(take.repairable)
        with transaction() as session, self.assertRaisesRegex(BadInput, "on the bench can be repaired"):
            stack = stacks.get_stack(session, self.stack.id)
            new_ladder(stack, stack_ladder(stack)[0], RunEntry(repair_of=take.id))
        with self.assertRaisesRegex(Conflict, "this take is over"):
            can_go_on(take.id)

    def test_one_that_is_stopped_is_closed_with_what_it_has(self) -> None:
        self.shoot_until(4)
        take = plan.read_stack(self.stack.id).takes[0]
        self.assertTrue(take.complete)
        self.assertGreaterEqual(len(take.frames), 4)
        self.assertEqual(take.series.missing, list(range(len(take.frames), self.stack.ladder.frames)))

    def test_taken_up_again_it_goes_on_at_the_first_missing_rung(self) -> None:
        self.shoot_until(3)
        before = {frame.rung: frame.sha256 for frame in plan.read_stack(self.stack.id).takes[0].frames}
        tasks.run(self.task_id)
        take = plan.read_stack(self.stack.id).takes[0]
        after = {frame.rung: frame.sha256 for frame in take.frames if frame.left_out is None}
        self.assertEqual(sorted(rung for rung in after if rung is not None), list(range(self.stack.ladder.frames)))
        self.assertTrue(all(after[rung] == sha256 for rung, sha256 in before.items()))
        store = FrameStore(settings().data)
        for sha256 in after.values():
            self.assertTrue(store.original(sha256, ".jpg").is_file())

    def test_one_that_an_earlier_version_had_begun_goes_by_the_plan(self) -> None:
        with transaction() as session:
            stacks.get_take(session, self.take.id).run = None
        tasks.run(self.task_id)
        take = plan.read_stack(self.stack.id).takes[0]
        self.assertEqual(take.task.state, "done")  # type: ignore[union-attr]
        self.assertEqual((take.series.missing, take.series.rungs_um), ([], self.stack.ladder.positions_um))

    def test_what_cannot_be_is_refused_before_anything_begins(self) -> None:
        with self.assertRaisesRegex(BadInput, "no simulated specimen"):
            takes.begin_take(self.stack.id, "moon")
        with self.assertRaisesRegex(Conflict, "being shot already"):
            takes.begin_take(self.stack.id, "graupel")
        self.assertEqual(len(plan.read_stack(self.stack.id).takes), 1)


if __name__ == "__main__":
    unittest.main()
