"""What fails at the start, what is looked at without a touch, and what was found with another rig."""

import shutil
import tempfile
import unittest
from pathlib import Path

from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.work import plan, rigs, tasks
from amber_ladder.work.shoot import Bench, BenchChange, BurstEntry, MoveEntry
from tests.support.bench import SURE, BenchTest, bench_stack
from tests.support.examples import PLAN, RIG, picture
from tests.support.station import until


class FailedStart(BenchTest):
    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(tempfile.mkdtemp(prefix="amber-ladder-start-"))
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        self.bench.change(BenchChange(folder=str(self.folder), camera="folder"))
        self.addCleanup(self.bench.change, BenchChange(folder="", camera="simulated"))

    def test_a_folder_that_is_gone_begins_no_take(self) -> None:
        stack = bench_stack("B-gone")
        self.bench.set_up(stack.id)
        self.folder.rmdir()
        with self.assertRaisesRegex(Conflict, "is gone: make it again"):
            self.bench.begin_run(stack.id, SURE)
        with self.assertRaisesRegex(BadInput, "cannot be read: make it again"):
            self.bench.begin_burst(stack.id, BurstEntry())
        self.assertEqual(plan.read_stack(stack.id).takes, [])
        self.assertEqual(self.bench.change(BenchChange(reshoots=1)).settings.reshoots, 1)  # all else can be changed
        self.bench.change(BenchChange(reshoots=2))
        self.folder.mkdir()
        take = self.bench.begin_burst(stack.id, BurstEntry())  # nothing blocks it
        self.bench.stop_after_rung()
        self.assertEqual(self.ended(stack, take.id).number, 1)

    def test_one_that_cannot_go_on_is_not_said_to_be_under_way(self) -> None:
        stack = bench_stack("B-not-on")
        first = Bench()
        take = first.begin_burst(stack.id, BurstEntry(stop_when_covered=False))
        first.close()
        self.folder.rmdir()
        with self.assertRaisesRegex(BadInput, "is gone: make it again"):
            self.bench.resume(take.id)
        task = plan.read_stack(stack.id).takes[0].task
        assert task is not None
        self.assertEqual(task.state, "failed")
        self.assertIn("is gone", task.message)
        self.assertIsNone(self.bench.view().busy)

    def test_a_setting_that_cannot_be_is_refused_in_words(self) -> None:
        for change, words in (
            (BenchChange(reshoots=99), "9 or less"),
            (BenchChange(rail=" "), "must not be empty"),
            (BenchChange(flaws=["moonlight"]), "no flaw is called 'moonlight'"),
            (BenchChange(scene="moon"), "no simulated specimen"),
        ):
            with self.assertRaisesRegex(BadInput, words):
                self.bench.change(change)


class Looking(BenchTest):
    def test_the_list_before_a_run_of_another_stack_changes_nothing_on_the_bench(self) -> None:
        mine, other = self.stack(), bench_stack("B-looked-at")
        self.bench.light.test_frame()
        mounted = self.bench._mounting.optical
        items = {item.key: item for item in self.bench.preflight(other.id)}
        self.assertIs(self.bench._mounting.optical, mounted)
        self.assertEqual(self.bench.view().stack_id, mine.id)
        self.assertEqual(items["light"].state, "confirm")  # the test frame was shot for the other
        self.assertNotIn("No test frame", {i.key: i for i in self.bench.preflight(mine.id)}["light"].detail)

    def test_light_and_ends_found_with_one_rig_are_not_those_of_another(self) -> None:
        stack = self.stack()
        self.bench.light.test_frame()
        self.bench.light.room_frame()
        self.assertIsNotNone(self.bench.view().test_frame)
        finer = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "another", "train": {**RIG["train"], "na": 0.1}}))
        entry = {**PLAN, "near_um": 2000, "far_um": 2200}
        plan.change_ladder(stack.id, plan.PlanEntry(rig_id=finer.id, plan=LadderRequestJson(**entry)))
        self.assertEqual({i.key: i for i in self.bench.preflight(stack.id)}["light"].state, "confirm")
        now = self.bench.set_up(stack.id)
        self.assertIsNone(now.test_frame)
        self.assertIsNone(now.room)

    def test_ends_found_over_another_specimen_are_forgotten(self) -> None:
        self.stack(far_um=2400)
        self.bench.move(MoveEntry(to_um=2300))
        self.bench.find_ends()
        until(lambda: self.bench.view().busy is None, "the sweep")
        self.assertIsNotNone(self.bench.view().ends, self.bench.view().said)
        self.addCleanup(self.bench.change, BenchChange(scene="jewel-wasp"))
        self.assertIsNone(self.bench.change(BenchChange(scene="graupel")).ends)


class ByItsTask(BenchTest):
    def test_a_run_is_stopped_through_its_task(self) -> None:
        stack = self.stack()
        take = self.bench.begin_run(stack.id, SURE)
        assert take.task is not None
        self.bench.stop_task(take.task.id + 1000)  # another's
        self.assertIsNotNone(self.bench.view().busy)
        self.bench.stop_task(take.task.id)
        self.assertEqual(self.ended(stack, take.id).task.state, "stopped")  # type: ignore[union-attr]
        # The worker's list of long work knows that the bench stops its own.
        self.assertIsNotNone(tasks.LONG_WORK["run"].stop)


class Resumed(BenchTest):
    def test_a_burst_that_goes_on_knows_its_coverage_and_its_picture(self) -> None:
        folder = Path(tempfile.mkdtemp(prefix="amber-ladder-resumed-"))
        self.addCleanup(shutil.rmtree, folder)
        self.bench.change(BenchChange(folder=str(folder)))
        self.addCleanup(self.bench.change, BenchChange(folder=""))
        stack = self.stack()
        first = Bench()
        take = first.begin_burst(stack.id, BurstEntry(stop_when_covered=False))
        for i in range(3):
            (folder / f"r_{i}.jpg").write_bytes(picture(384, 256, seed=i))
        until(lambda: (first.view().run.coverage or 0) > 0 and first.view().run.done == 3, "three frames")  # type: ignore[union-attr]
        before = first.view()
        first.close()
        self.bench.resume(take.id)
        until(lambda: self.bench.view().run is not None and self.bench.view().run.done == 3, "it to look back")  # type: ignore[union-attr]
        now = self.bench.view()
        assert now.run is not None
        assert before.run is not None
        self.assertEqual((now.run.coverage, now.run.done), (before.run.coverage, 3))
        assert now.growth is not None
        self.assertEqual(now.growth.frames, 3)
        self.assertIsNone(now.growth.covered)  # where a hand's frames lie nobody knows
        self.assertTrue(self.bench.growing(take.id, "picture").startswith(b"\xff\xd8"))
        self.bench.stop_after_rung()
        self.ended(stack, take.id)


if __name__ == "__main__":
    unittest.main()
