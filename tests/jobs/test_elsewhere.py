"""Workers on other machines: another process with a data folder of its own, over a folder or S3 that both reach."""

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, ClassVar
from unittest.mock import patch

import psutil  # type: ignore[import-untyped]

from amber_ladder.formats.surveys import FILE as SURVEY
from amber_ladder.launch.serve import SOURCE, Station
from amber_ladder.settings import settings
from amber_ladder.store import stacks, workers
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore, sha256_of
from amber_ladder.store.shared_store import original_place
from amber_ladder.work import merge, plan, tasks
from amber_ladder.work.merge import MergeEntry
from amber_ladder.work.on_disk.merging import RESULTS
from amber_ladder.work.stack.views import FrameView, MergeView, StackView
from tests.support import s3
from tests.support.station import kill, running, until
from tests.support.takes import new_stack, shot_stack, take_of

SAME = (*(name for name in RESULTS if name.endswith(".tif")), SURVEY)  # reports tell how long it took


class Elsewhere(unittest.TestCase):
    """The station's own worker is stopped where a merge shall be done elsewhere."""

    station: ClassVar[Station]
    folder: ClassVar[Path]
    url: ClassVar[str]
    aws: ClassVar[dict[str, str]] = {}
    stack: ClassVar[StackView]
    frames: ClassVar[list[FrameView]]
    workers: list[subprocess.Popen[bytes]]

    @classmethod
    def share(cls) -> str:
        shared = cls.folder / "shared"
        shared.mkdir()
        return shared.as_uri()

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(tempfile.mkdtemp(prefix="amber-ladder-shared-"))
        cls.addClassCleanup(shutil.rmtree, cls.folder, ignore_errors=True)
        cls.url = cls.share()
        cls.station = running()
        cls.stack = new_stack(f"ELSE-{cls.__name__}", far_um=700)
        cls.frames = shot_stack().takes[0].frames[8:20]
        cls.enterClassContext(patch.dict(os.environ, {"AMBER_LADDER_SHARED": cls.url, **cls.aws}))
        cls.enterClassContext(patch.dict(cls.station._environment, {"AMBER_LADDER_SHARED": cls.url, **cls.aws}))
        cls.again()
        cls.addClassCleanup(cls.again)

    @classmethod
    def again(cls) -> None:
        """The station's worker anew, with the settings of now."""
        kill(cls.station, "worker")
        cls.station.keep_up()

    def setUp(self) -> None:
        self.workers = []
        self.addCleanup(self.end_workers)

    def end_workers(self) -> None:
        for one in self.workers:
            one.terminate()
            one.wait(20)

    def worker(self, name: str) -> Path:
        """Begin one with a data folder of its own; returns that."""
        data = self.folder / name
        environment = {**os.environ, "AMBER_LADDER_DATA": str(data), "PYTHONPATH": str(SOURCE / "src")}
        command = [sys.executable, "-m", "amber_ladder.launch", "worker", "--name", name]
        self.workers.append(subprocess.Popen(command, env=environment))
        until(lambda: name in there(), f"{name} to show up")
        return data

    def begin(self, frames: slice = slice(None), **settings: Any) -> MergeView:
        take_id = take_of(self.stack, self.frames[frames])
        return merge.begin_merge(take_id, MergeEntry(**{"method": "select", **settings}))

    def now(self, begun: MergeView) -> MergeView:
        return next(m for t in plan.read_stack(self.stack.id).takes for m in t.merges if m.id == begun.id)

    def is_over(self, begun: MergeView) -> bool:
        return self.now(begun).task.state in ("done", "failed")

    def done(self, *begun: MergeView) -> list[MergeView]:
        for one in begun:
            until(partial(self.is_over, one), f"merge {one.id}")
        ended = [self.now(one) for one in begun]
        self.assertEqual([one.task.message for one in ended], [""] * len(ended))
        return ended

    def same(self, done: MergeView) -> list[str | None]:
        folder = FrameStore(settings().data).product_folder(done.id)
        return [sha256_of(folder / name) for name in SAME]

    def shared_original(self, frame: FrameView) -> Path:
        return self.folder / "shared" / original_place(frame.sha256, ".jpg")

    def station_at_rest(self) -> Callable[[], None]:
        """Its worker does nothing until what is returned is called; what others need has been brought before."""
        for frame in self.frames:
            place = self.shared_original(frame)
            place.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(FrameStore(settings().data).original(frame.sha256, ".jpg"), place)
        pid = self.station.pid("worker")
        os.kill(pid, signal.SIGSTOP)
        self.addCleanup(os.kill, pid, signal.SIGCONT)
        return lambda: os.kill(pid, signal.SIGCONT)


class OverAFolder(Elsewhere):
    def test_a_queue_is_drained_once_each_by_both_and_results_are_the_same_to_the_byte(self) -> None:
        data = self.worker("pond")
        begun = [self.begin() for _ in range(6)]
        ended = self.done(*begun)
        who = [one.task.worker for one in ended]
        self.assertEqual(set(who), {"station", "pond"})
        self.assertEqual([attempts(one) for one in ended], [1] * 6)
        made = {tuple(self.same(one)) for one in ended}
        self.assertEqual(len(made), 1)
        self.assertNotIn(None, made.pop())
        self.assertEqual({len(one.report["frames_used"]) for one in ended if one.report}, {12})
        # Fetched once each, by checksum; handed over once, and not kept in the shared store.
        self.assertEqual(len(list((data / "originals").rglob("*.jpg"))), 12)
        shared = self.folder / "shared"
        until(lambda: not [one for one in (shared / "results").rglob("*") if one.is_file()], "the results to go")
        self.assertEqual(len(list((shared / "originals").rglob("*.jpg"))), 12)

    def test_what_a_killed_worker_had_in_hand_goes_to_the_other(self) -> None:
        self.worker("doomed")
        wake = self.station_at_rest()
        begun = self.begin(slice(0, 11))
        until(
            lambda: self.now(begun).task.phase == "fetch" or self.now(begun).task.done > 0, "it to be taken elsewhere"
        )
        self.assertEqual(self.now(begun).task.worker, "doomed")
        os.killpg(children_of(self.workers[-1].pid)[0], signal.SIGKILL)
        self.workers.pop().kill()
        wake()
        (ended,) = self.done(begun)
        self.assertEqual((ended.task.worker, attempts(ended)), ("station", 3))  # taken, taken back, taken again

    def test_one_that_starts_again_takes_up_what_it_had(self) -> None:
        data = self.worker("phoenix")
        self.station_at_rest()
        begun = self.begin(slice(1, 12), method="pyramid")
        until(lambda: self.now(begun).task.done > 0, "the merge to be under way")
        os.kill(children_of(self.workers[-1].pid)[0], signal.SIGKILL)
        until(lambda: attempts(self.now(begun)) == 2, "it to be given out again")
        written: list[bool] = []

        def merging() -> bool:
            # Looked at first: while it is still being merged after that, nothing may be there.
            written.append(any((data / "products").glob("[0-9]*")))
            return self.now(begun).task.phase == "merge"

        until(merging, "it to be taken up again")
        self.assertEqual(self.now(begun).task.worker, "phoenix")
        self.assertFalse(written[-1])

    def test_who_was_taken_for_gone_writes_nothing_any_more(self) -> None:
        self.worker("slow")
        wake = self.station_at_rest()
        begun = self.begin(slice(0, 10))
        until(lambda: self.now(begun).task.worker == "slow" and self.now(begun).task.done > 0, "it to be taken")
        (slow,) = children_of(self.workers[-1].pid)
        os.kill(slow, signal.SIGSTOP)
        wake()
        (ended,) = self.done(begun)
        os.kill(slow, signal.SIGCONT)
        log = self.folder / "slow" / "logs" / "worker.log"
        until(lambda: "nothing is written" in log.read_text(), "the slow one to see it")
        self.assertEqual(self.now(begun).task, ended.task)
        self.assertEqual(ended.task.worker, "station")
        self.station_at_rest()
        another = self.begin(slice(0, 9))
        until(lambda: self.now(another).task.worker == "slow", "it to go on with the next")

    def test_a_merge_elsewhere_can_be_stopped(self) -> None:
        self.worker("stopping")
        self.station_at_rest()
        self.shared_original(self.frames[7]).unlink()
        begun = self.begin(slice(2, 12))
        until(lambda: self.now(begun).task.phase == "fetch", "it to wait for a frame")
        tasks.stop(begun.task.id)
        until(lambda: self.now(begun).task.state == "stopped", "it to stop")

    def test_one_in_trouble_gives_its_work_back(self) -> None:
        data = self.worker("broken")
        wake = self.station_at_rest()
        data.joinpath("products").write_text("in the way")
        begun = self.begin(slice(3, 12))
        until(lambda: "given back" in (data / "logs" / "worker.log").read_text(), "the work to come back")
        wake()
        (ended,) = self.done(begun)
        self.assertEqual(ended.task.worker, "station")

    def test_damage_on_the_way_is_noticed_and_brought_anew(self) -> None:
        frame = self.frames[5]
        place = self.shared_original(frame)
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(b"not what it was")
        self.worker("careful")
        ended = self.done(*(self.begin(slice(4, 12)) for _ in range(3)))
        self.assertIn("careful", {one.task.worker for one in ended})
        self.assertEqual(sha256_of(place), frame.sha256)


class OverS3(Elsewhere):
    @classmethod
    def share(cls) -> str:
        cls.aws = s3.bucket(cls.addClassCleanup)
        return s3.URL

    def test_it_works_over_object_storage_too(self) -> None:
        self.worker("far")
        ended = self.done(*(self.begin() for _ in range(4)))
        self.assertIn("far", {one.task.worker for one in ended})
        self.assertEqual(len({tuple(self.same(one)) for one in ended}), 1)


def children_of(pid: int) -> list[int]:
    return [one.pid for one in psutil.Process(pid).children()]


def there() -> list[str]:
    with transaction() as session:
        return workers.elsewhere(session, 10)


def attempts(done: MergeView) -> int:
    with transaction() as session:
        return stacks.get_task(session, done.task.id).attempt


if __name__ == "__main__":
    unittest.main()
