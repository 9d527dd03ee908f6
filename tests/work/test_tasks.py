"""Long work: each kind is declared once, by the stage that does it."""

import unittest

from amber_ladder.store import stacks
from amber_ladder.store import tasks as stored
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Take, Task
from amber_ladder.work import plan, tasks
from tests.support.station import database
from tests.support.takes import new_stack


class Declared(unittest.TestCase):
    def test_every_kind_has_who_does_it_or_how_it_stops(self) -> None:
        self.assertEqual(set(tasks.LONG_WORK), {"run", "practice", "merge", "calibrate", "card", "rack", "mend"})
        for kind, work in tasks.LONG_WORK.items():
            self.assertEqual(work.kind, kind)
            self.assertNotEqual(work.by_worker is None, work.stop is None, kind)

    def test_phases_cover_the_whole_one_after_the_other(self) -> None:
        for work in tasks.LONG_WORK.values():
            reached = 0.0
            for begins, share in work.phases.values():
                self.assertAlmostEqual(begins, reached)
                reached += share
            self.assertAlmostEqual(reached, 1.0)

    def test_what_the_bench_has_not_begun_yet_is_not_ended_behind_its_back(self) -> None:
        database()
        stack = new_stack("TA-1")
        with transaction() as session:
            task = Task(kind=stored.RUN, stack_id=stack.id)
            take = Take(source="bench", task=task, run={"positions_um": [0.0, 20.0]})
            stacks.add_take(session, stacks.get_stack(session, stack.id), take)
            task_id = task.id
        self.assertEqual(tasks.stop(task_id).state, "waiting")
        self.assertEqual(plan.read_stack(stack.id).takes[0].task.state, "waiting")  # type: ignore[union-attr]
        with transaction() as session:
            stored.end(session, stacks.get_task(session, task_id), "failed", "for the test")

    def test_a_task_that_takes_the_worker_down_each_time_is_given_up(self) -> None:
        database()
        stack = new_stack("TA-2")
        with transaction() as session:
            task = Task(kind="merge", stack_id=stack.id)
            stacks.add_take(session, stacks.get_stack(session, stack.id), Take(source="files", task=task))
            task_id = task.id
        for _ in range(6):  # as a worker does that is killed before it has ended
            with transaction() as session:
                stored.take_up(session, stacks.get_task(session, task_id), "station")
        tasks.run(task_id)
        with transaction() as session:
            task = stacks.get_task(session, task_id)
            self.assertEqual(task.state, "failed")
            self.assertIn("was begun again and again", task.message)


if __name__ == "__main__":
    unittest.main()
