"""What the station does for workers elsewhere, where something is in the way."""

import os
import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

from amber_ladder.settings import settings
from amber_ladder.store import stacks, tasks, workers
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.shared_store import original_place
from amber_ladder.work import merge, plan
from amber_ladder.work import tasks as work_tasks
from amber_ladder.work.carrier import Carrier
from amber_ladder.work.merge import MergeEntry
from amber_ladder.work.merge.elsewhere import prune
from amber_ladder.work.stack.views import MergeView
from tests.support import s3
from tests.support.station import database
from tests.support.takes import new_stack, shot_stack, take_of


class InTheWay(unittest.TestCase):
    def setUp(self) -> None:
        database()
        for left_over in work_tasks.unfinished():  # by other tests of this process
            work_tasks.stop(left_over)
        self.shared = Path(tempfile.mkdtemp(prefix="amber-ladder-shared-"))
        self.frames = shot_stack().takes[0].frames[10:14]
        self.stack = new_stack(f"CA-{self._testMethodName[5:]}"[:60], far_um=700)
        self.begun = merge.begin_merge(take_of(self.stack, self.frames), MergeEntry(method="select"))
        self.addCleanup(work_tasks.stop, self.begun.task.id)
        with transaction() as session:
            workers.show_up(session, "pond", "x")
        self.addCleanup(self.leave)

    def leave(self) -> None:
        with transaction() as session:
            session.delete(workers.get_worker(session, "pond"))

    def now(self) -> MergeView:
        return plan.read_stack(self.stack.id).takes[-1].merges[-1]

    def taken(self) -> None:
        with transaction() as session:
            tasks.take_up(session, stacks.get_task(session, self.begun.task.id), "pond")

    def test_what_will_be_needed_is_brought_before_it_is_asked_for(self) -> None:
        Carrier(self.shared.as_uri()).round()
        brought = [(self.shared / original_place(one.sha256, ".jpg")).is_file() for one in self.frames]
        self.assertEqual(brought, [True] * 4)

    def test_an_original_that_the_station_has_lost_ends_the_merge_with_words(self) -> None:
        self.taken()
        path = FrameStore(settings().data).original(self.frames[2].sha256, ".jpg")
        aside = path.rename(self.shared / "aside")
        self.addCleanup(aside.rename, path)
        Carrier(self.shared.as_uri()).round()
        self.assertEqual(self.now().task.state, "failed")
        self.assertIn("missing from the data folder: restore it", self.now().task.message)

    def test_a_shared_store_that_is_away_holds_nobody_up(self) -> None:
        with patch.dict(os.environ, s3.nobody()), self.assertLogs("amber_ladder.work.carrier", "WARNING") as told:
            carrier = Carrier(s3.URL)
            carrier.round()
            carrier.round()
        self.assertEqual([one.count("does not answer") for one in told.output], [1])
        work_tasks.run(self.begun.task.id)
        self.assertEqual(self.now().task.state, "done")

    def test_a_folder_that_is_not_mounted_yet_is_found_once_it_is(self) -> None:
        folder = self.shared / "mounted"
        carrier = Carrier(folder.as_uri())
        with self.assertLogs("amber_ladder.work.carrier", "WARNING") as told:
            carrier.round()
        self.assertIn("cannot be used", told.output[0])
        folder.mkdir()
        carrier.round()
        self.assertEqual(len(list(folder.rglob("*.jpg"))), 4)

    def test_what_cannot_be_read_does_not_end_the_carrier(self) -> None:
        self.taken()
        with transaction() as session:
            stacks.get_task(session, self.begun.task.id).handed_over = {"place": "results/1"}
        carrier = Carrier(self.shared.as_uri())
        with self.assertLogs("amber_ladder.work.carrier", "WARNING") as told:
            carrier.round()
            carrier.round()
        self.assertEqual(len(told.output), 1)

    def test_results_that_are_not_there_whole_are_made_anew(self) -> None:
        self.taken()
        with transaction() as session:
            handed = {
                "place": "results/1",
                "files": dict.fromkeys(("composite.tif",), "0"),
                "report": {},
                "version": "",
            }
            stacks.get_task(session, self.begun.task.id).handed_over = handed
        with self.assertLogs("amber_ladder.work.carrier", "WARNING"):
            Carrier(self.shared.as_uri()).round()
        self.assertEqual(self.now().task.state, "waiting")
        self.assertIsNone(self.now().task.worker)
        work_tasks.run(self.begun.task.id)
        self.assertEqual((self.now().task.state, self.now().task.worker), ("done", "station"))


class Pruned(unittest.TestCase):
    def test_what_was_used_last_is_kept(self) -> None:
        data = Path(tempfile.mkdtemp(prefix="amber-ladder-worker-"))
        store = FrameStore(data)
        for day, name in enumerate("abcd"):
            path = store.place(name * 64, ".jpg")
            path.parent.mkdir()
            path.write_bytes(b"0" * 1000)
            os.utime(path, (day * 86400.0, day * 86400.0))
        prune(data, 2500)
        left = sorted(one.name[0] for one in (data / "originals").rglob("*.jpg"))
        self.assertEqual(left, ["c", "d"])


if __name__ == "__main__":
    unittest.main()
