"""A package that the real worker goes through and brings in: killed in the midst it comes all the same, and once."""

import os
import shutil
import signal
import tempfile
import unittest
from pathlib import Path

from amber_ladder.settings import settings
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Specimen
from amber_ladder.work import plan, record
from tests.support.packages import changed, packed
from tests.support.station import running, until
from tests.support.takes import folder_of, merged, shot_stack

_RESULTS = ("composite.tif", "depth.tif", "depth_u.tif")


def half_made() -> set[str]:
    """What lies half-written beside the results: of other killed work, too, until the station starts again."""
    return {one.name for one in (settings().data / "products").iterdir() if one.name.startswith(".")}


class Killed(unittest.TestCase):
    def setUp(self) -> None:
        self.station = running()
        self.addCleanup(self.station.keep_up)
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)

    def ended(self, key: str, *, kill: bool) -> record.DeliveryView:
        """What became of the work on a package; its worker is killed as soon as it has begun, or not."""

        def state() -> str:
            return record.read_delivery(key).task.state

        if kill:
            until(lambda: state() != "waiting", "the work to be under way")
            os.kill(self.station.pid("worker"), signal.SIGKILL)

        def is_over() -> bool:
            self.station.keep_up()
            return state() in ("done", "failed", "stopped")

        until(is_over, "the end of the work")
        return record.read_delivery(key)

    def test_whenever_the_worker_is_killed_all_of_it_comes_and_comes_once(self) -> None:
        merge = merged(shot_stack("JOB-PACKED").takes[0].id)
        before = half_made()
        own = Path(shutil.copy(packed(merge.id), self.folder / "own.zip"))
        for number, (while_tried, while_brought) in enumerate(((True, False), (False, True), (True, True)), 1):
            with self.subTest(while_tried=while_tried, while_brought=while_brought):
                package = changed(own, lambda _: None)
                key = record.receive_package(iter([package.read_bytes()])).key
                tried = self.ended(key, kill=while_tried)
                assert tried.told is not None, tried.task.message
                self.assertEqual((tried.task.state, tried.told.faults), ("done", []))
                name = f"JOB-BROUGHT-{number}"
                record.bring_package(key, record.BringEntry(catalogue_number=name))
                done = self.ended(key, kill=while_brought)
                self.assertEqual(done.task.state, "done", done.task.message)
                assert done.stack_id is not None
                stack = plan.read_stack(done.stack_id)
                self.assertEqual(stack.specimen.catalogue_number, name)
                with transaction() as session:
                    self.assertEqual(session.query(Specimen).filter_by(catalogue_number=name).count(), 1)
                (take,) = stack.takes
                self.assertEqual(len(take.frames), len(shot_stack("JOB-PACKED").takes[0].frames))
                (brought,) = take.merges
                for file in _RESULTS:
                    content = (folder_of(brought) / file).read_bytes()
                    self.assertEqual(content, (folder_of(merge) / file).read_bytes(), file)
        # Nothing that was unpacked half stays beside what is whole.
        self.assertEqual(half_made() - before, set())


if __name__ == "__main__":
    unittest.main()
