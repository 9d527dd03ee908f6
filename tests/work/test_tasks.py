"""Long work: each kind is declared once, by the stage that does it."""

import threading
import unittest
from contextlib import suppress

from sqlalchemy import text

from amber_ladder.errors import Collided, NotFound
from amber_ladder.store import specimens, stacks
from amber_ladder.store import tasks as stored
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.models import Take, Task
from amber_ladder.work import plan, tasks
from amber_ladder.work.long_work import Finish, LongWork
from tests.support.station import database, until
from tests.support.takes import new_stack


class Declared(unittest.TestCase):
    def test_every_kind_has_who_does_it_or_how_it_stops(self) -> None:
        self.assertEqual(
            set(tasks.LONG_WORK),
            {
                "run",
                "practice",
                "merge",
                "calibrate",
                "card",
                "rack",
                "lay",
                "mend",
                "package",
                "try package",
                "bring package",
            },
        )
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

    def test_an_end_that_collides_with_another_change_is_written_all_the_same(self) -> None:
        database()
        first, second = (new_stack(f"TA-{number}").specimen.id for number in (3, 4))
        holds, tries = threading.Event(), []

        def other() -> None:
            """Holds the second, and wants the first as soon as somebody waits for the second."""
            with suppress(Collided), transaction() as session:
                specimens.get(session, second, locked=True)
                holds.set()
                waits = text("select count(*) from pg_locks where not granted")
                until(lambda: session.scalar(waits) > 0, "somebody who waits")
                specimens.get(session, first, locked=True)

        thread = threading.Thread(target=other)

        def finish(session: Session) -> None:
            tries.append(1)
            specimens.get(session, first, locked=True)
            if len(tries) == 1:
                thread.start()
                self.assertTrue(holds.wait(30))
            specimens.get(session, second, locked=True)

        self.assertEqual(self.ended("TA-5", finish).state, "done")
        thread.join()
        self.assertEqual(len(tries), 2)  # whoever waited first gives way, and does it again

    def test_an_end_that_cannot_be_written_ends_the_task_with_its_reason(self) -> None:
        database()

        def gone(_session: Session) -> None:
            raise NotFound("the card was thrown away meanwhile")

        task = self.ended("TA-6", gone)
        self.assertEqual((task.state, task.message), ("failed", "the card was thrown away meanwhile"))

    def ended(self, number: str, finish: Finish) -> Task:
        """Work without any work, whose end is written like this."""
        real = tasks.LONG_WORK["card"]
        tasks.LONG_WORK["card"] = LongWork("card", real.phases, by_worker=lambda _task, _progress: finish)
        try:
            with transaction() as session:
                task = Task(kind="card", stack_id=new_stack(number).id)
                session.add(task)
                session.flush()
                task_id = task.id
            tasks.run(task_id)
        finally:
            tasks.LONG_WORK["card"] = real
        with transaction() as session:
            return stacks.get_task(session, task_id)


if __name__ == "__main__":
    unittest.main()
