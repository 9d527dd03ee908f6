"""Runs over a ladder: whole, paused, stopped, repaired, cut off and taken up again."""

import hashlib
import os
import subprocess
import tempfile
import threading
import unittest
from pathlib import Path

from amber_ladder.errors import Conflict, DeviceTrouble, OutOfReach
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import merge, plan, tasks
from amber_ladder.work.record.records import shot_with
from amber_ladder.work.shoot import Bench, BenchChange, FlashEntry, MoveEntry, RunEntry
from amber_ladder.work.stack.views import StackView
from tests.support.bench import SURE, BenchTest, bench_stack, kept
from tests.support.station import database, until


class Runs(BenchTest):
    def test_every_rung_is_shot_once_at_its_place_and_kept(self) -> None:
        stack = self.stack()
        take = self.run_it(stack)
        assert take.task is not None
        self.assertEqual((take.task.state, take.task.message), ("done", ""))
        self.assertEqual([f.rung for f in kept(take)], list(range(stack.ladder.frames)))
        self.assertEqual([f.planned_um for f in kept(take)], stack.ladder.positions_um)
        self.assertEqual([f.faults for f in kept(take)], [[]] * stack.ladder.frames)
        store = FrameStore(settings().data)
        for frame in take.frames:
            self.assertEqual(store.original(frame.sha256, ".jpg").stat().st_size, frame.bytes)
        grown = self.bench.view().growth
        assert grown is not None
        until(lambda: self.bench.view().growth.frames == stack.ladder.frames, "the picture to grow")  # type: ignore[union-attr]
        self.assertTrue(self.bench.growing(take.id, "picture").startswith(b"\xff\xd8"))
        self.assertTrue(self.bench.growing(take.id, "depth").startswith(b"\xff\xd8"))

    def test_a_second_run_on_a_busy_bench_is_refused_in_words(self) -> None:
        stack, other = self.stack(), bench_stack("B-other")
        take = self.bench.begin_run(stack.id, SURE)
        for refused in (stack, other):
            with self.assertRaisesRegex(Conflict, rf"the bench is busy: shooting {stack.specimen.catalogue_number}"):
                self.bench.begin_run(refused.id, SURE)
        with self.assertRaisesRegex(Conflict, "busy"):
            self.bench.move(MoveEntry(by_um=10))
        self.bench.halt()
        self.assertEqual(self.ended(stack, take.id).task.state, "stopped")  # type: ignore[union-attr]

    def test_a_ladder_beyond_the_travel_is_refused_and_nothing_begins(self) -> None:
        stack = self.stack(near_um=39_900, far_um=40_200)
        with self.assertRaisesRegex(OutOfReach, "rail's far end at 40.000 mm"):
            self.bench.begin_run(stack.id, SURE)
        self.assertEqual(plan.read_stack(stack.id).takes, [])

    def test_pause_stop_after_and_a_take_beside_the_old_one(self) -> None:
        stack = self.stack()
        take = self.bench.begin_run(stack.id, SURE)
        until(lambda: self.frames(stack) >= 2, "two frames")
        self.bench.pause(True)
        until(lambda: self.bench.view().run.phase == "paused", "the pause")  # type: ignore[union-attr]
        shot = self.frames(stack)
        self.bench.stop_after_rung()
        ended = self.ended(stack, take.id)
        self.assertEqual((ended.task.state, len(ended.frames)), ("stopped", shot))  # type: ignore[union-attr]
        self.assertTrue(ended.complete)
        repaired = self.run_it(stack, RunEntry(repair_of=take.id, again=[1], more_far=2, confirmed=SURE.confirmed))
        positions = [f.planned_um for f in sorted(kept(repaired), key=lambda f: f.rung or 0)]
        step = stack.ladder.step_um
        last = stack.ladder.positions_um[-1]
        self.assertEqual(positions, [*stack.ladder.positions_um, last + step, last + 2 * step])
        before, after = ({f.rung: f.sha256 for f in kept(one)} for one in (ended, repaired))
        self.assertEqual([rung for rung in before if before[rung] != after[rung]], [1])
        old = next(one for one in plan.read_stack(stack.id).takes if one.id == take.id)
        self.assertEqual(len(old.frames), shot)
        merged = merge.begin_merge(repaired.id, merge.MergeEntry(method="select"))
        tasks.run(merged.task.id)
        report = plan.read_stack(stack.id).takes[-1].merges[0].report
        assert report is not None
        self.assertEqual(len(report["frames_used"]), len(positions))

    def frames(self, stack: StackView) -> int:
        return len(plan.read_stack(stack.id).takes[-1].frames)


class CutOff(BenchTest):
    def test_an_unplugged_rail_is_said_and_the_run_goes_on_where_it_was(self) -> None:
        stack = self.stack()
        take = self.bench.begin_run(stack.id, SURE)
        until(lambda: len(plan.read_stack(stack.id).takes[0].frames) >= 2, "two frames")
        self.rail.unplug()
        cut = self.ended(stack, take.id)
        assert cut.task is not None
        self.assertEqual(cut.task.state, "failed")
        self.assertRegex(cut.task.message, "is gone|does not run")
        with self.assertRaisesRegex(DeviceTrouble, "no rail answers"):
            self.bench.resume(take.id)
        self.rail.start()
        self.bench.resume(take.id)
        whole = self.ended(stack, take.id)
        self.assertEqual(whole.task.state, "done", whole.task.message)  # type: ignore[union-attr]
        self.assertEqual(sorted(f.rung or 0 for f in kept(whole)), list(range(stack.ladder.frames)))
        shas = {f.rung: f.sha256 for f in kept(whole)}
        self.assertTrue(all(shas[f.rung] == f.sha256 for f in kept(cut)))
        self.assertEqual(whole.devices, take.devices)

    def test_one_that_goes_on_with_other_devices_says_both(self) -> None:
        stack = self.stack()
        take = self.bench.begin_run(stack.id, SURE)
        until(lambda: len(plan.read_stack(stack.id).takes[0].frames) >= 1, "a frame")
        self.rail.unplug()
        self.ended(stack, take.id)
        self.rail.start()
        self.bench.change(BenchChange(flaws=["dust"]))
        self.bench.resume(take.id)
        whole = self.ended(stack, take.id)
        assert whole.devices is not None
        self.assertEqual((whole.devices["flaws"], whole.devices["later"][0]["flaws"]), ([], ["dust"]))
        with transaction() as session:
            words = shot_with(stacks.get_take(session, take.id))
        before, _, later = words.partition("; later ")
        self.assertEqual(before, "a simulated rail, a simulated camera, flash at 1/16 + 2/3")
        self.assertTrue(later.startswith("a simulated rail, a simulated camera, flash at "), later)
        self.assertTrue(later.endswith("; faults switched on for practice: dust"), later)

    def test_the_light_stays_as_it_is_while_a_ladder_is_shot(self) -> None:
        stack = self.stack()
        take = self.bench.begin_run(stack.id, SURE)
        with self.assertRaisesRegex(Conflict, "light stays as it is"):
            self.bench.light.set_flash(FlashEntry(power=0.5))
        self.assertEqual(take.devices["flash_power"], 0.1)  # type: ignore[index]
        self.bench.halt()
        self.ended(stack, take.id)
        self.bench.light.set_flash(FlashEntry(power=0.5))

    def test_what_was_left_running_is_taken_up_at_the_next_start(self) -> None:
        stack = self.stack()
        first = Bench()
        first.set_up(stack.id)
        take = first.begin_run(stack.id, SURE)
        until(lambda: len(plan.read_stack(stack.id).takes[0].frames) >= 2, "two frames")
        first.close()
        self.assertEqual(plan.read_stack(stack.id).takes[0].task.state, "running")  # type: ignore[union-attr]
        # The database has crashed along with the server, and comes back a little later than it.
        database().cluster.stop(at_once=True)
        taking_up = threading.Thread(target=self.bench.take_up_again)
        taking_up.start()
        database().cluster.start()
        taking_up.join()
        whole = self.ended(stack, take.id)
        self.assertEqual(whole.task.state, "done", whole.task.message)  # type: ignore[union-attr]
        self.assertEqual(sorted(f.rung or 0 for f in kept(whole)), list(range(stack.ladder.frames)))


class FullDisk(BenchTest):
    def test_a_full_disk_is_said_and_the_run_goes_on_once_there_is_room(self) -> None:
        if os.geteuid() != 0:
            self.skipTest("a small disk can be mounted by root only")
        disk = tempfile.mkdtemp(prefix="amber-ladder-disk-")
        mount = ["mount", "-t", "tmpfs", "-o", "size=160k", "tmpfs", disk]
        if subprocess.run(mount, check=False, capture_output=True).returncode != 0:
            self.skipTest("this machine mounts nothing")
        self.addCleanup(subprocess.run, ["umount", disk], check=True)
        stack = self.stack(bytes_per_frame=1000)  # the list before the run would refuse more
        self.addCleanup(setattr, settings(), "data", settings().data)
        settings().data = Path(disk)
        take = self.bench.begin_run(stack.id, SURE)
        cut = self.ended(stack, take.id)
        self.assertEqual(cut.task.state, "failed")  # type: ignore[union-attr]
        self.assertIn("no room left", cut.task.message)  # type: ignore[union-attr]
        self.assertLess(len(cut.frames), stack.ladder.frames)
        subprocess.run(["mount", "-o", "remount,size=50m", disk], check=True)
        self.bench.resume(take.id)
        whole = self.ended(stack, take.id)
        self.assertEqual(whole.task.state, "done", whole.task.message)  # type: ignore[union-attr]
        shas = {f.rung: f.sha256 for f in kept(whole)}
        self.assertEqual(sorted(rung or 0 for rung in shas), list(range(stack.ladder.frames)))
        store = FrameStore(settings().data)
        for sha256 in shas.values():
            content = store.original(sha256, ".jpg").read_bytes()
            self.assertEqual(hashlib.sha256(content).hexdigest(), sha256)


if __name__ == "__main__":
    unittest.main()
