"""The real worker: progress that pages hear, a stop, a kill half way."""

import json
import os
import signal
import threading
import unittest
import urllib.request
from typing import Any, ClassVar

import psycopg

from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.surveys import FILE as SURVEY
from amber_ladder.launch.serve import Station
from amber_ladder.settings import settings
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import cabinet, merge, plan, rigs, tasks
from amber_ladder.work.practice import takes
from amber_ladder.work.rigs import calibrations, ramps
from amber_ladder.work.stack.views import TakeView, TaskView
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.station import kill, running, until


class Worker(unittest.TestCase):
    station: ClassVar[Station]
    stack_id: ClassVar[int]
    take: ClassVar[TakeView]

    @classmethod
    def setUpClass(cls) -> None:
        cls.station = running()
        rig = rigs.add_rig(rigs.RigEntry(**RIG))
        specimen = cabinet.add_specimen(cabinet.SpecimenEntry(**SPECIMEN))
        entry = plan.PlanEntry(rig_id=rig.id, plan=LadderRequestJson(**{**PLAN, "far_um": 700}))
        cls.stack_id = plan.save_ladder(specimen.id, entry).id
        cls.take = takes.begin_take(cls.stack_id, "moss-capsule")
        until(lambda: cls._shooting().state == "done", "the ladder to be shot")

    def setUp(self) -> None:
        self.addCleanup(self.station.keep_up)
        for alignment in settings().data.rglob(SURVEY):  # taken over, a merge is at its end before anyone can reach it
            alignment.unlink()

    @classmethod
    def _shooting(cls) -> TaskView:
        task = plan.read_stack(cls.stack_id).takes[0].task
        assert task is not None
        return task

    def merge_task(self, number: int) -> TaskView:
        merges = plan.read_stack(self.stack_id).takes[0].merges
        return next(one.task for one in merges if one.id == number)

    def test_a_worker_killed_half_way_loses_nothing_and_takes_up_again(self) -> None:
        begun = merge.begin_merge(self.take.id, merge.MergeEntry(method="pyramid"))
        until(lambda: self.merge_task(begun.id).done > 0, "the merge to be under way")
        os.kill(self.station.pid("worker"), signal.SIGKILL)
        self.assertFalse(FrameStore(settings().data).product_folder(begun.id).exists())
        until(lambda: self.station.keep_up() is None and self.merge_task(begun.id).state == "done", "the merge")  # type: ignore[func-returns-value]
        self.assertTrue((FrameStore(settings().data).product_folder(begun.id) / "composite.tif").is_file())

    def test_a_merge_that_ends_while_the_database_is_away_is_done_when_it_is_back(self) -> None:
        begun = merge.begin_merge(self.take.id, merge.MergeEntry(method="pyramid"))
        until(lambda: self.merge_task(begun.id).done > 0, "the merge to be under way")
        self.station.cluster.stop(at_once=True)
        log = settings().data / "logs" / "worker.log"
        until(
            lambda: "this waits until it works again: The database" in log.read_text(),
            "the worker to miss the database",
        )
        self.assertIsNone(self.station.keep_up())  # type: ignore[func-returns-value]
        until(lambda: self.merge_task(begun.id).state == "done", "the merge")
        self.assertIn(f"[task {begun.task.id}, merge]", log.read_text())

    def test_it_computes_with_what_the_bench_leaves(self) -> None:
        ours, its = (os.getpriority(os.PRIO_PROCESS, pid) for pid in (0, self.station.pid("worker")))
        self.assertGreaterEqual(its, ours + 5)
        self.assertEqual(os.getpriority(os.PRIO_PROCESS, self.station.pid("server")), ours)

    def test_a_running_merge_stops_when_asked_and_writes_nothing(self) -> None:
        begun = merge.begin_merge(self.take.id, merge.MergeEntry(method="pyramid"))
        until(lambda: self.merge_task(begun.id).state == "running", "the merge to begin")
        tasks.stop(begun.task.id)
        until(lambda: self.merge_task(begun.id).state == "stopped", "the merge to stop")
        self.assertFalse(FrameStore(settings().data).product_folder(begun.id).exists())

    def test_a_ramp_is_shot_and_measured_with_progress_and_can_be_stopped(self) -> None:
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "ramp"}))
        entry = ramps.RampEntry(slope_deg=20, units_per_frame=1, simulated_unit_um=10)

        def task(number: int) -> TaskView:
            found = next(one for one in calibrations.of_rig(rig.id) if one.id == number).task
            assert found is not None
            return found

        begun = ramps.begin_ramp(rig.id, entry)
        until(lambda: task(begun.id).done > 2, "the ramp to be under way")
        self.assertEqual(task(begun.id).phase, "shoot")
        tasks.stop(task(begun.id).id)
        until(lambda: task(begun.id).state == "stopped", "the ramp to stop")
        self.assertIsNone(calibrations.of_rig(rig.id)[0].result)
        again = ramps.begin_ramp(rig.id, entry.model_copy(update={"simulated_unit_um": 12.0}))
        until(lambda: task(again.id).state in ("done", "failed"), "the ramp to be measured")
        result = calibrations.of_rig(rig.id)[0].result
        assert result is not None
        self.assertLess(abs(result["um_per_unit"] / 12 - 1), 0.02)

    def test_pages_hear_of_progress(self) -> None:
        heard: list[dict[str, Any]] = []
        wanted: list[int] = []
        ready = threading.Event()

        def listen() -> None:
            with urllib.request.urlopen(f"{self.station.address}api/events", timeout=60) as stream:
                for line in stream:
                    if line.startswith(b": still here"):
                        ready.set()
                    if line.startswith(b'data: {"stack_id"'):  # not what people do
                        heard.append(json.loads(line[6:]))
                        if heard[-1]["task"]["state"] == "done" and [heard[-1]["task"]["id"]] == wanted:
                            return

        listener = threading.Thread(target=listen, daemon=True)
        listener.start()
        self.assertTrue(ready.wait(20))
        begun = merge.begin_merge(self.take.id, merge.MergeEntry(method="select"))
        wanted.append(begun.task.id)
        listener.join(60)
        mine = [one["task"] for one in heard if one["task"]["id"] == begun.task.id]
        self.assertEqual({one["stack_id"] for one in heard}, {self.stack_id})
        self.assertEqual(mine[-1]["state"], "done")
        self.assertGreater(len({(one["phase"], one["done"]) for one in mine}), 3)

    def test_a_database_that_goes_and_comes_back_does_not_end_the_work(self) -> None:
        begun = merge.begin_merge(self.take.id, merge.MergeEntry(method="select"))
        until(lambda: self.merge_task(begun.id).done > 0, "the merge to be under way")
        self.station.cluster.stop(at_once=True)
        until(lambda: self.station.keep_up() is None and self.merge_task(begun.id).state == "done", "the merge")  # type: ignore[func-returns-value]

    def test_a_queue_that_cannot_be_reached_does_not_end_the_worker(self) -> None:
        with psycopg.connect(self.station.cluster.admin_url, autocommit=True) as admin:
            role = admin.execute("select datdba::regrole::text from pg_database where datname = 'amber_ladder'")
            (name,) = role.fetchone() or ("",)
            self.addCleanup(lambda: self._let_in(name, -1))
            kill(self.station, "worker")
            mine = "select count(*) from pg_stat_activity where usename = %s"
            # Room for the lock and for one question, but for none of the queue's own connections.
            self._let_in(name, (admin.execute(mine, [name]).fetchone() or (0,))[0] + 2)
            self.station.start_worker()
            worker, log = self.station._children["worker"], settings().data / "logs" / "worker.log"
            until(lambda: worker.poll() is not None or "queue cannot be reached" in log.read_text(), "it to fail")
            self._let_in(name, -1)
        begun = merge.begin_merge(self.take.id, merge.MergeEntry(method="select"))
        until(lambda: worker.poll() is not None or self.merge_task(begun.id).state == "done", "the merge")
        self.assertIsNone(worker.poll())

    def _let_in(self, role: str, most: int) -> None:
        with psycopg.connect(self.station.cluster.admin_url, autocommit=True) as admin:
            admin.execute(f"alter role {role} connection limit {most}")


if __name__ == "__main__":
    unittest.main()
