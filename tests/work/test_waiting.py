"""The queue of long work: in the order in which it will be done, and for how long."""

import unittest

from sqlalchemy import null

from amber_ladder.store import stacks, tasks, workers
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Product
from amber_ladder.store.queue import IN_THE_BACKGROUND
from amber_ladder.work import mend, merge, plan
from amber_ladder.work import tasks as work_tasks
from amber_ladder.work.merge import MergeEntry
from amber_ladder.work.on_disk.merging import RESULTS
from amber_ladder.work.waiting import QueuedView, waiting
from tests.support.station import database
from tests.support.takes import merged, new_stack, shot_stack, take_of


class Waiting(unittest.TestCase):
    def setUp(self) -> None:
        database()
        for left_over in work_tasks.unfinished():  # by other tests of this process
            work_tasks.stop(left_over)
        self.number = f"WA-{self._testMethodName[5:]}"[:60]
        self.stack = new_stack(self.number, far_um=700)
        self.take_id = take_of(self.stack, shot_stack().takes[0].frames[10:16])
        self.begun: list[int] = []

    def tearDown(self) -> None:
        for task_id in self.begun:
            work_tasks.stop(task_id)

    def begin(self, **settings: int) -> int:
        begun = merge.begin_merge(self.take_id, MergeEntry(method="select"), **settings).task.id
        self.begun.append(begun)
        return begun

    def own(self) -> list[QueuedView]:
        return [one for one in waiting() if one.stack_id == self.stack.id]

    def pyramids_made(self, files: list[str] | None) -> None:
        """With None it is as if none ever had been."""
        with transaction() as session:
            for one in session.query(Product).filter(Product.report.is_not(None)):
                if one.settings.get("method") == "pyramid":
                    one.files = null() if files is None else files  # None alone would be JSON's

    def test_what_else_is_worked_on_for_a_mend_is_named_and_is_for_the_station(self) -> None:
        done = merged(self.take_id)
        view = mend.begin(done.id, mend.MendEntry())
        assert view.rack.task is not None
        self.begun.append(view.rack.task.id)
        mend.finish(view.id)
        written = mend.read(view.id).mended
        assert written is not None
        self.begun.append(written.task.id)
        of = f"{self.number}, stack 1, take 1"
        told = [(one.what, one.method, one.number, one.elsewhere) for one in self.own()]
        self.assertEqual(
            told, [(f"looking at the frames of {of}", None, None, None), (f"writing a mend of {of}", None, None, None)]
        )

    def test_what_is_urgent_comes_before_what_was_begun_in_the_background(self) -> None:
        late = self.begin(priority=IN_THE_BACKGROUND)
        urgent, next_one = self.begin(), self.begin()
        self.assertEqual([one.task.id for one in self.own()], [urgent, next_one, late])
        first = self.own()[0]
        self.assertEqual((first.what, first.method, first.number), (f"{self.number}, stack 1, take 1", "select", 2))
        work_tasks.stop(urgent)
        self.assertEqual([one.task.id for one in self.own()], [next_one, late])

    def test_times_add_up_from_what_such_merges_took_and_from_what_runs(self) -> None:
        done = merged(self.take_id)
        assert done.report is not None
        first, second = self.begin(), self.begin()
        one, two = self.own()
        assert one.takes_s is not None
        # The same frames by the same way: about as long as it took, beside others of this test run.
        self.assertGreater(one.takes_s, 0.05 * done.report["seconds"])
        self.assertLess(one.takes_s, 20 * done.report["seconds"])
        self.assertAlmostEqual(two.begins_in_s or 0.0, (one.begins_in_s or 0.0) + one.takes_s)
        # One that runs comes first, and tells by itself.
        with transaction() as session:
            task = stacks.get_task(session, second)
            tasks.set_progress(session, task, phase="merge", done=3, total=6, seconds_left=7.5)
        running, other = self.own()
        self.assertEqual((running.task.id, running.takes_s), (second, 7.5))
        self.assertEqual(other.task.id, first)
        self.assertGreaterEqual(other.begins_in_s or 0.0, 7.5)
        with transaction() as session:
            tasks.end(session, stacks.get_task(session, second), "stopped")

    def test_what_waits_goes_to_whoever_is_free_first(self) -> None:
        merged(self.take_id)
        first, second, third = self.begin(), self.begin(), self.begin()
        with transaction() as session:
            workers.show_up(session, "shed", "x")
            task = stacks.get_task(session, first)
            tasks.take_up(session, task, "shed")
            tasks.set_progress(session, task, phase="merge", done=3, total=6, seconds_left=900.0)
        try:
            here = [one for one in waiting() if one.task.id in (first, second, third)]
        finally:
            with transaction() as session:
                session.delete(workers.get_worker(session, "shed"))
                tasks.end(session, stacks.get_task(session, first), "stopped")
        self.assertEqual(
            [(one.task.id, one.elsewhere) for one in here], [(first, "shed"), (second, None), (third, None)]
        )
        self.assertEqual(here[1].begins_in_s, 0.0)
        self.assertAlmostEqual(here[2].begins_in_s or 0.0, here[1].takes_s or -1.0)

    def test_what_was_never_done_here_takes_nobody_knows_how_long(self) -> None:
        begun = merge.begin_merge(self.take_id, MergeEntry(method="pyramid", calm=0.5))
        self.begun.append(begun.task.id)
        self.addCleanup(self.pyramids_made, list(RESULTS))
        self.pyramids_made(None)
        after = self.begin()
        own = self.own()
        self.assertEqual([one.task.id for one in own], [begun.task.id, after])
        self.assertIsNone(own[0].takes_s)
        self.assertIsNone(own[1].begins_in_s)
        self.assertEqual(plan.read_stack(self.stack.id).takes[0].merges[0].task.state, "waiting")


if __name__ == "__main__":
    unittest.main()
