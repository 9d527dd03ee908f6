"""Frames that come into the watched folder: by hand, in haste, or rung by rung."""

import hashlib
import shutil
import tempfile
import unittest
from pathlib import Path

import numpy as np
import tifffile

from amber_ladder.work import plan
from amber_ladder.work.shoot import Bench, BenchChange, BurstEntry
from tests.support.bench import SURE, BenchTest, bench_stack
from tests.support.examples import picture
from tests.support.station import until


class ByHand(BenchTest):
    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(tempfile.mkdtemp(prefix="amber-ladder-hand-"))
        self.addCleanup(shutil.rmtree, self.folder)
        self.bench.change(BenchChange(folder=str(self.folder)))
        self.addCleanup(self.bench.change, BenchChange(folder=""))

    def test_a_simulated_hand_shoots_until_the_depth_is_covered(self) -> None:
        earlier = self.folder / "hand_00002.jpg"
        earlier.write_bytes(picture(384, 256, seed=99))
        before = earlier.read_bytes()
        stack = self.stack()
        take = self.bench.begin_burst(stack.id, BurstEntry(simulated=True))
        ended = self.ended(stack, take.id)
        self.assertEqual(ended.task.state, "done", ended.task.message)  # type: ignore[union-attr]
        self.assertEqual(ended.frames[0].name, "hand_00003.jpg")
        self.assertEqual(earlier.read_bytes(), before)
        self.assertTrue(ended.complete)
        self.assertGreaterEqual(len(ended.frames), 5)
        self.assertEqual(len({f.sha256 for f in ended.frames}), len(ended.frames))

    def test_the_clock_ends_it_and_what_lay_there_before_is_left_alone(self) -> None:
        (self.folder / "old.jpg").write_bytes(picture(384, 256, seed=99))
        stack = self.stack()
        take = self.bench.begin_burst(stack.id, BurstEntry(minutes=0.06, stop_when_covered=False))
        for i in range(4):
            (self.folder / f"n_{i}.jpg").write_bytes(picture(384, 256, seed=i))
        ended = self.ended(stack, take.id)
        self.assertEqual([f.name for f in ended.frames], [f"n_{i}.jpg" for i in range(4)])
        # That it ended is said with how little it holds; step, overlap and depth nobody knows.
        coverage = ended.series.coverage
        assert coverage is not None
        self.assertLess(coverage, 0.985)
        assert ended.task is not None
        self.assertIn(f"The time is over. 4 frames cover {100 * coverage:.0f} % of the depth", ended.task.message)
        self.assertIn(f"cover {100 * coverage:.0f} % of the planned depth", ended.series.warnings[0])
        self.assertEqual((ended.series.step_um, ended.series.overlap, ended.series.depth_um), (None, None, None))

    def test_after_a_restart_it_knows_which_files_it_has(self) -> None:
        stack = self.stack()
        first = Bench()
        take = first.begin_burst(stack.id, BurstEntry(stop_when_covered=False))
        for i in range(2):
            (self.folder / f"r_{i}.jpg").write_bytes(picture(384, 256, seed=i))
        until(lambda: len(plan.read_stack(stack.id).takes[0].frames) == 2, "two frames")
        first.close()
        for i in range(2, 4):
            (self.folder / f"r_{i}.jpg").write_bytes(picture(384, 256, seed=i))
        self.bench.take_up_again()
        until(lambda: len(plan.read_stack(stack.id).takes[0].frames) == 4, "four frames")
        self.bench.stop_after_rung()
        ended = self.ended(stack, take.id)
        self.assertEqual([f.name for f in ended.frames], [f"r_{i}.jpg" for i in range(4)])

    def test_with_a_rail_each_new_file_becomes_the_next_rung(self) -> None:
        self.bench.change(BenchChange(camera="folder", reshoots=0))
        self.addCleanup(self.bench.change, BenchChange(camera="simulated", reshoots=2))
        stack = bench_stack("B-folder")
        self.bench.set_up(stack.id)
        self.assertFalse(self.bench.view().live)
        take = self.bench.begin_run(stack.id, SURE)
        for rung in range(stack.ladder.frames):
            until(lambda rung=rung: self.exposing(rung), "the rail to wait for a frame")  # type: ignore[misc]
            if rung == 1:
                (self.folder / "t_0_cut.jpg").write_bytes(picture(384, 256, seed=99)[:2000])
                until(lambda: "t_0_cut.jpg" in self.bench.view().run.said, "the damaged file to be told")  # type: ignore[union-attr]
            if rung == 2:
                deep = np.random.default_rng(2).integers(0, 65536, (256, 384, 3), dtype=np.uint16)
                tifffile.imwrite(self.folder / "t_2.tif", deep, photometric="rgb")
            else:
                (self.folder / f"t_{rung}.jpg").write_bytes(picture(384, 256, seed=rung))
        ended = self.ended(stack, take.id)
        self.assertEqual(ended.task.state, "done", ended.task.message)  # type: ignore[union-attr]
        self.assertEqual([f.rung for f in ended.frames], list(range(stack.ladder.frames)))
        names = [f"t_{rung}.{'tif' if rung == 2 else 'jpg'}" for rung in range(stack.ladder.frames)]
        shot = [hashlib.sha256((self.folder / name).read_bytes()).hexdigest() for name in names]
        self.assertEqual([f.sha256 for f in ended.frames], shot)
        self.assertEqual([f.bits for f in ended.frames], [16 if rung == 2 else 8 for rung in range(len(names))])

    def test_a_run_that_waits_for_a_file_can_be_stopped(self) -> None:
        self.bench.change(BenchChange(camera="folder"))
        self.addCleanup(self.bench.change, BenchChange(camera="simulated"))
        stack = bench_stack("B-waits")
        take = self.bench.begin_run(stack.id, SURE)
        until(lambda: self.exposing(0), "the rail to wait for a frame")
        self.bench.halt()
        self.assertIsNone(self.bench.view().busy)
        self.assertEqual(self.ended(stack, take.id).task.state, "stopped")  # type: ignore[union-attr]

    def exposing(self, rung: int) -> bool:
        run = self.bench.view().run
        return run is not None and run.phase == "expose" and run.rung == rung

    def test_nothing_came(self) -> None:
        stack = self.stack()
        take = self.bench.begin_burst(stack.id, BurstEntry())
        self.bench.stop_after_rung()
        ended = self.ended(stack, take.id)
        self.assertEqual(ended.task.state, "failed")  # type: ignore[union-attr]
        self.assertIn("0 usable frames came into", ended.task.message)  # type: ignore[union-attr]


if __name__ == "__main__":
    unittest.main()
