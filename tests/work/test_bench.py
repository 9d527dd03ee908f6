"""The bench through its use cases: real database, the simulated rail's own process, simulated camera and flash."""

import hashlib
import os
import shutil
import subprocess
import tempfile
import unittest
from itertools import count
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
import tifffile

from amber_ladder.bench.simulated_rail.eye import RailEye
from amber_ladder.errors import Conflict, DeviceTrouble, NotFound, OutOfReach
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.settings import settings
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import cabinet, merge, plan, rigs, tasks
from amber_ladder.work.bench import Bench, BenchChange, BurstEntry, FlashEntry, MoveEntry, RunEntry
from amber_ladder.work.views import FrameView, StackView, TakeView
from tests.support.examples import PLAN, RIG, SPECIMEN, picture
from tests.support.rail import RailProcess
from tests.support.station import database, until

QUICK = {"settle_s": 0.25, "exposure_s": 0.01, "recycle_s": 0.6}
_NUMBERS = count(1)
SURE = RunEntry(confirmed=["ends", "light", "room", "cautions", "limits"])


def bench_stack(number: str, **changes: Any) -> StackView:
    """A stack whose ladder lies well within the rail's travel, with a working distance of 34 mm."""
    specimen = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": number}))
    rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": f"rig of {number}", "working_distance_mm": 34}))
    rail = {"click_um": 2.5, "min_um": 0, "max_um": 40_000, "backlash_um": 50}
    entry = {**PLAN, "near_um": 2000, "far_um": 2200, "rail": rail, "timing": QUICK, **changes}
    return plan.save_ladder(specimen.id, plan.PlanEntry(rig_id=rig.id, plan=LadderRequestJson(**entry)))


def kept(take: TakeView) -> list[FrameView]:
    """The frames of a take but those that were shot again: a calm one may be, now and then."""
    return [frame for frame in take.frames if frame.left_out is None]


class BenchTest(unittest.TestCase):
    rail: ClassVar[RailProcess]
    bench: ClassVar[Bench]

    @classmethod
    def setUpClass(cls) -> None:
        database()
        cls.rail = RailProcess()
        cls.addClassCleanup(cls.rail.unplug)
        settings().rail_port = cls.rail.port
        cls.bench = Bench()
        cls.addClassCleanup(cls.bench.close)
        cls.bench.change(BenchChange(flaws=[], camera="simulated", scene="jewel-wasp", rail="simulated"))

    def setUp(self) -> None:
        self.addCleanup(self.bench.change, BenchChange(flaws=[]))
        self.addCleanup(self.bench.halt)

    def stack(self, **changes: Any) -> StackView:
        stack = bench_stack(f"B-{next(_NUMBERS)}", **changes)
        self.bench.set_up(stack.id)
        self.bench.set_flash(FlashEntry(power=0.1, on=True))
        return stack

    def run_it(self, stack: StackView, entry: RunEntry = SURE) -> TakeView:
        take = self.bench.begin_run(stack.id, entry)
        return self.ended(stack, take.id)

    def ended(self, stack: StackView, take_id: int) -> TakeView:
        def over() -> bool:
            return self.bench.view().busy is None

        until(over, "the run to end")
        return next(one for one in plan.read_stack(stack.id).takes if one.id == take_id)


class Runs(BenchTest):
    def test_every_rung_is_shot_once_at_its_place_and_kept(self) -> None:
        stack = self.stack()
        take = self.run_it(stack)
        assert take.task is not None
        self.assertEqual((take.task.state, take.task.message), ("done", ""))
        self.assertEqual([f.rung for f in kept(take)], list(range(stack.ladder.frames)))
        self.assertEqual([f.position_um for f in kept(take)], stack.ladder.positions_um)
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
        positions = [f.position_um for f in sorted(kept(repaired), key=lambda f: f.rung or 0)]
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

    def test_what_was_left_running_is_taken_up_at_the_next_start(self) -> None:
        stack = self.stack()
        first = Bench()
        first.set_up(stack.id)
        take = first.begin_run(stack.id, SURE)
        until(lambda: len(plan.read_stack(stack.id).takes[0].frames) >= 2, "two frames")
        first.close()
        self.assertEqual(plan.read_stack(stack.id).takes[0].task.state, "running")  # type: ignore[union-attr]
        self.bench.take_up_again()
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


class Flaws(BenchTest):
    """A run with each flaw ends with the right frames, or says why not."""

    def with_flaw(self, *flaws: str, **changes: Any) -> tuple[StackView, TakeView]:
        stack = self.stack(**changes)
        self.bench.change(BenchChange(flaws=list(flaws)))
        self.bench.set_flash(FlashEntry(power=0.1, on=True))
        for _ in range(10):
            self.bench._optical.flash.fire()  # type: ignore[union-attr]  # what it had stored before is used up
        return stack, self.run_it(stack)

    def test_backlash_never_shows_in_the_positions_of_frames(self) -> None:
        stack = self.stack()
        self.bench.change(BenchChange(flaws=["backlash"]))
        self.bench.move(MoveEntry(to_um=6000))  # from the far side of the ladder
        until(lambda: self.bench.view().busy is None, "the move")
        self.run_it(stack)
        camera = self.bench._optical.camera  # type: ignore[union-attr]
        truths = list(camera.truths)[-stack.ladder.frames :]  # type: ignore[union-attr]
        for truth, position in zip(truths, stack.ladder.positions_um, strict=True):
            self.assertAlmostEqual(truth.focus_um, position - stack.plan.near_um, delta=0.01)

    def test_a_flash_that_is_slower_than_it_says_gives_dark_frames_that_are_shot_again(self) -> None:
        _, take = self.with_flaw("tired-flash", timing={**QUICK, "settle_s": 0.02, "recycle_s": 4.0})
        self.check(take)
        again = [f for f in take.frames if f.left_out]
        self.assertTrue(again)
        self.assertTrue(all("flash not ready" in (f.left_out or "") for f in again))

    def test_shaking_that_lasts_gives_shaken_frames_that_are_shot_again(self) -> None:
        self.bench.change(BenchChange(scene="graupel"))  # sharp somewhere in every frame: elsewhere it does not show
        self.addCleanup(self.bench.change, BenchChange(scene="jewel-wasp"))
        _, take = self.with_flaw("shaking", timing={**QUICK, "settle_s": 0.02, "recycle_s": 0.0})
        self.check(take)
        self.assertTrue([f for f in take.frames if "shaken" in (f.left_out or "") or f.faults])

    def test_a_silent_rail_says_so(self) -> None:
        stack = self.stack()
        take = self.bench.begin_run(stack.id, SURE)
        until(lambda: len(plan.read_stack(stack.id).takes[0].frames) >= 1, "a frame")
        eye = RailEye(self.rail.port)
        eye.rebuild(trouble="silence")
        ended = self.ended(stack, take.id)
        eye.rebuild(trouble=None)
        eye.close()
        self.assertEqual(ended.task.state, "failed")  # type: ignore[union-attr]
        self.assertIn("no answer", ended.task.message)  # type: ignore[union-attr]

    def test_all_others_end_with_every_rung(self) -> None:
        others = ("flicker", "room-light", "noise", "hot-pixels", "dust", "drift", "breathing", "slow-rail")
        for flaws in (others, ("coarse-clicks",), ("shrinks", "twitches", "wilts")):
            with self.subTest(flaws):
                stack = bench_stack(f"B-{flaws[0]}")
                self.bench.set_up(stack.id)
                self.bench.change(BenchChange(flaws=list(flaws)))
                self.bench.set_flash(FlashEntry(power=0.1, on=True))
                self.check(self.run_it(stack))

    def check(self, take: TakeView) -> None:
        self.assertEqual(take.task.state, "done", take.task.message)  # type: ignore[union-attr]
        self.assertEqual(sorted(f.rung or 0 for f in kept(take)), list(range(len(take.run["positions_um"]))))  # type: ignore[index,arg-type]


class Rail(BenchTest):
    def test_a_move_that_would_touch_the_specimen_is_refused(self) -> None:
        self.stack()
        with self.assertRaisesRegex(OutOfReach, "bring the lens against the specimen"):
            self.bench.move(MoveEntry(to_um=35_000))
        self.bench.move(MoveEntry(place="park"))
        until(lambda: self.bench.view().busy is None, "the move")
        self.assertEqual(self.bench.view().rail.position_um, 0.0)

    def test_keys_that_are_pressed_quickly_add_up(self) -> None:
        self.stack()
        self.bench.move(MoveEntry(place="near"))
        for _ in range(5):
            self.bench.move(MoveEntry(by_um=100))
        until(lambda: self.bench.view().busy is None, "the moves")
        self.assertEqual(self.bench.view().rail.position_um, 2500.0)

    def test_holding_runs_until_it_is_let_go(self) -> None:
        self.stack()
        self.bench.move(MoveEntry(to_um=30_000))
        until(lambda: (self.bench.view().rail.position_um or 0) > 400, "it to run")
        at = self.bench.halt().rail.position_um or 0.0
        self.assertLess(at, 20_000)
        self.assertEqual(self.bench.view().rail.position_um, at)

    def test_a_port_nobody_answers_is_said(self) -> None:
        self.stack()
        self.bench.change(BenchChange(rail="socket://127.0.0.1:9"))
        self.addCleanup(self.bench.change, BenchChange(rail="simulated"))
        trouble = self.bench.view().rail.trouble or ""
        self.assertRegex(trouble, "no rail answers at socket://127.0.0.1:9")
        with self.assertRaisesRegex(DeviceTrouble, "no rail answers"):
            self.bench.move(MoveEntry(by_um=10))


class EndsAndLight(BenchTest):
    def test_the_ends_are_found_from_within_and_the_ladder_planned_anew(self) -> None:
        stack = self.stack(far_um=2400)
        self.bench.move(MoveEntry(to_um=2300))
        until(lambda: self.bench.view().busy is None, "the move")
        self.bench.find_ends()
        until(lambda: self.bench.view().busy is None, "the sweep")
        found = self.bench.view().ends
        assert found is not None, self.bench.view().said
        depth = self.bench._optical.live._view.scene.sharp_depth_um()  # type: ignore[union-attr]
        sharp = stack.ladder.sharp_depth_stage_um
        self.assertAlmostEqual(found.near_um, 2000 + float(depth.min()), delta=1.5 * sharp)
        self.assertTrue(found.passed_near and found.passed_far)
        anew = plan.set_ends(stack.id, plan.EndsEntry(near_um=found.near_um, far_um=found.far_um))
        self.assertEqual((anew.plan.near_um, anew.plan.far_um), (found.near_um, found.far_um))
        self.assertLess(anew.ladder.positions_um[0], found.near_um)
        self.assertGreater(anew.ladder.positions_um[-1], found.far_um)

    def test_a_test_frame_leads_to_the_right_power_and_the_room_is_judged(self) -> None:
        self.stack()
        self.bench.set_flash(FlashEntry(power=1 / 64))
        for _ in range(3):
            test = self.bench.test_frame().test_frame
            assert test is not None
            if abs(test.reading.change_stops) < 0.35 or test.next_power is None:
                break
            self.bench.set_flash(FlashEntry(power=test.next_power))
        self.assertLess(abs(test.reading.change_stops), 0.35)
        self.assertTrue(self.bench.test_picture().startswith(b"\xff\xd8"))
        self.assertTrue(self.bench.room_frame().room.black)  # type: ignore[union-attr]
        self.bench.change(BenchChange(flaws=["room-light"]))
        room = self.bench.room_frame().room
        assert room is not None
        assert room.stops is not None
        # The room lies three stops below a right exposure of an even scene; the flash was set for this one.
        right = self.bench._optical.camera.right_power  # type: ignore[union-attr]
        self.assertAlmostEqual(room.stops, -3.0 - np.log2(test.power / right), delta=0.3)

    def test_what_is_open_before_a_run_must_be_confirmed(self) -> None:
        stack = self.stack()
        items = {item.key: item.state for item in self.bench.preflight(stack.id)}
        self.assertEqual(items["rail"], "fine")
        self.assertEqual(items["ends"], "confirm")
        with self.assertRaisesRegex(Conflict, "Both ends are passed"):
            self.bench.begin_run(stack.id, RunEntry(confirmed=["light", "room", "cautions"]))

    def test_a_body_that_brackets_by_itself_asks_for_its_own_list(self) -> None:
        stack = self.stack(rail=None, focus_unit={"um_per_unit": 20.0})
        keys = {item.key for item in self.bench.preflight(stack.id)}
        self.assertLessEqual({"stabiliser", "autofocus", "fixed", "other-brackets", "release", "separator"}, keys)

    def test_no_picture_grows_for_a_take_that_is_not_shot(self) -> None:
        with self.assertRaises(NotFound):
            self.bench.growing(999_999, "picture")


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
        self.assertIn("0 frames came into", ended.task.message)  # type: ignore[union-attr]


if __name__ == "__main__":
    unittest.main()
