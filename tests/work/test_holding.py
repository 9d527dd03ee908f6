"""The queue in another order, and merges held back: for a run, for a time, until somebody lets them go."""

import unittest
from datetime import timedelta

from pydantic import ValidationError
from sqlalchemy import text

from amber_ladder.store import queue, stacks
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Task
from amber_ladder.work import holding, merge
from amber_ladder.work import tasks as work_tasks
from amber_ladder.work.merge import MergeEntry
from amber_ladder.work.shoot import takes
from amber_ladder.work.waiting import OrderEntry, QueuedView, order, waiting
from tests.support.station import database
from tests.support.takes import new_stack, shot_stack, take_of


class Holding(unittest.TestCase):
    def setUp(self) -> None:
        database()
        for left_over in work_tasks.unfinished():  # by other tests of this process
            work_tasks.stop(left_over)
        with transaction() as session:
            session.execute(text("delete from procrastinate_jobs"))
        holding.let_go()
        self.stack = new_stack(f"QU-{self._testMethodName[5:]}"[:60], far_um=700)
        self.take_id = take_of(self.stack, shot_stack().takes[0].frames[10:16])
        self.begun: list[int] = []

    def tearDown(self) -> None:
        holding.let_go()
        for task_id in self.begun:
            work_tasks.stop(task_id)

    def begin(self) -> int:
        task_id = merge.begin_merge(self.take_id, MergeEntry(method="select")).task.id
        self.begun.append(task_id)
        return task_id

    def own(self) -> list[QueuedView]:
        return [one for one in waiting() if one.task.id in self.begun]

    def next_for_a_worker(self) -> int | None:
        """The task that a worker would be given now, put back as it was."""
        with transaction() as session:
            asked = text("select (procrastinate_fetch_job_v2(array['anywhere'], null)).args->>'task_id'")
            found = session.execute(asked).scalar()
            session.rollback()
        return int(found) if found else None

    def test_work_is_taken_up_in_the_order_that_is_told(self) -> None:
        one, two, three = self.begin(), self.begin(), self.begin()
        self.assertEqual(self.next_for_a_worker(), one)
        told = order(OrderEntry(task_ids=[three, one]))
        self.assertEqual([item.task.id for item in told if item.task.id in self.begun], [three, one, two])
        self.assertEqual(self.next_for_a_worker(), three)
        four = self.begin()
        self.assertEqual([item.task.id for item in self.own()], [three, one, two, four])
        work_tasks.stop(three)
        order(OrderEntry(task_ids=[four, three, 999_999_999]))
        self.assertEqual([item.task.id for item in self.own()], [four, one, two])

    def test_merges_wait_until_they_are_let_go_those_of_later_too(self) -> None:
        before = self.begin()
        holding.hold(holding.HoldEntry(reason="told"))
        after = self.begin()
        self.assertIsNone(self.next_for_a_worker())
        self.assertEqual([(one.task.id, one.held, one.begins_in_s) for one in self.own()],
                         [(before, True, None), (after, True, None)])  # fmt: skip
        holding.let_go()
        self.assertIsNone(holding.held())
        self.assertEqual(self.next_for_a_worker(), before)
        self.assertEqual([one.held for one in self.own()], [False, False])
        self.assertEqual(self.own()[0].begins_in_s, 0.0)

    def test_for_the_night_they_begin_at_its_hour_and_that_is_told(self) -> None:
        self.begin()
        until = now() + timedelta(hours=6)
        self.assertEqual(holding.hold(holding.HoldEntry(reason="time", until=until)), holding.held())
        (told,) = self.own()
        self.assertAlmostEqual(told.begins_in_s or 0.0, 6 * 3600, delta=60)
        self.assertIsNone(self.next_for_a_worker())
        with transaction() as session:  # the hour has come
            queue.hold(session, now() - timedelta(seconds=1))
        self.assertEqual(self.next_for_a_worker(), self.begun[0])
        self.assertFalse(self.own()[0].held)

    def test_for_a_run_they_wait_until_it_has_ended(self) -> None:
        holding.hold(holding.HoldEntry(reason="run"))
        self.begin()
        self.assertIsNone(self.next_for_a_worker())
        with transaction() as session:
            run = Task(kind="shoot", stack_id=self.stack.id)
            stacks.get_take(session, self.take_id).task = run
            session.flush()
            run_id = run.id
        takes.end_take(run_id, self.take_id, "stopped", "")
        self.assertIsNone(holding.held())
        self.assertEqual(self.next_for_a_worker(), self.begun[0])
        holding.hold(holding.HoldEntry(reason="told"))  # a run's end lets go only what waited for it
        takes.end_take(run_id, self.take_id, "stopped", "")
        self.assertIsNotNone(holding.held())

    def test_what_cannot_be_is_refused(self) -> None:
        for words, told in (
            ("a time is told", {"reason": "time"}),
            ("a time is told", {"reason": "run", "until": now() + timedelta(hours=1)}),
            ("next seven days", {"reason": "time", "until": now() - timedelta(hours=1)}),
            ("next seven days", {"reason": "time", "until": now() + timedelta(days=8)}),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(ValidationError, words):
                holding.HoldEntry.model_validate(told)


if __name__ == "__main__":
    unittest.main()
