"""Runs with faults switched on."""

import unittest
from typing import Any

from amber_ladder.simulated.rail.eye import RailEye
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work import plan, rigs
from amber_ladder.work.record.records import shot_with
from amber_ladder.work.shoot import BenchChange, FlashEntry, MoveEntry
from amber_ladder.work.stack.views import StackView, TakeView
from tests.support.bench import QUICK, SURE, BenchTest, bench_stack, kept
from tests.support.examples import RIG
from tests.support.station import until


def shot_with_of(take_id: int) -> str:
    """What the record says of a take's devices."""
    with transaction() as session:
        return shot_with(stacks.get_take(session, take_id))


class Flaws(BenchTest):
    """A run with each flaw ends with the right frames, or says why not."""

    def with_flaw(self, *flaws: str, **changes: Any) -> tuple[StackView, TakeView]:
        stack = self.stack(**changes)
        self.bench.change(BenchChange(flaws=list(flaws)))
        self.bench.light.set_flash(FlashEntry(power=0.1, on=True))
        for _ in range(10):
            self.bench._mounting.optical.flash.fire()  # type: ignore[union-attr]  # what it had stored before is used up
        return stack, self.run_it(stack)

    def test_backlash_never_shows_in_the_positions_of_frames(self) -> None:
        stack = self.stack()
        self.bench.change(BenchChange(flaws=["backlash"]))
        self.bench.move(MoveEntry(to_um=6000))  # from the far side of the ladder
        until(lambda: self.bench.view().busy is None, "the move")
        self.run_it(stack)
        camera = self.bench._mounting.optical.camera  # type: ignore[union-attr]
        truths = list(camera.truths)[-stack.ladder.frames :]  # type: ignore[union-attr]
        for truth, position in zip(truths, stack.ladder.positions_um, strict=True):
            self.assertAlmostEqual(truth.focus_um, position - stack.plan.near_um, delta=0.01)

    def test_coarse_clicks_are_recorded_as_they_fell_and_warned_of(self) -> None:
        # Steps of 12.5 µm on clicks of 10 fall up to 5 µm beside their rungs; a quarter of the sharp depth is 4 µm.
        rail = {"click_um": 12.5, "min_um": 0, "max_um": 40_000, "backlash_um": 50}
        train = {"kind": "measured", "magnification": 5, "na": 0.22}
        stack = self.stack(far_um=2075, rail=rail)
        finer = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "finer", "train": train, "working_distance_mm": 34}))
        plan.change_ladder(stack.id, plan.PlanEntry(rig_id=finer.id, plan=stack.plan))
        self.bench.set_up(stack.id)
        stack = plan.read_stack(stack.id)
        self.bench.change(BenchChange(flaws=["coarse-clicks"]))
        self.bench.light.set_flash(FlashEntry(power=0.1, on=True))
        take = self.run_it(stack)
        self.check(take)
        for frame in kept(take):
            self.assertAlmostEqual((frame.reported_um or 0.0) % 10.0, 0.0)
            self.assertLessEqual(abs((frame.reported_um or 0.0) - (frame.planned_um or 0.0)), 5.0)
        self.assertTrue(any(frame.reported_um != frame.planned_um for frame in kept(take)))
        self.assertEqual(take.series.depth_from, "reported")
        self.assertIn("a click of the rail is too coarse for this ladder", take.series.warnings[0])
        self.assertEqual(take.devices["flaws"], ["coarse-clicks"])  # type: ignore[index]
        self.assertIn("faults switched on for practice: coarse-clicks", shot_with_of(take.id))

    def test_a_flash_that_is_slower_than_it_says_gives_dark_frames_that_are_shot_again(self) -> None:
        _, take = self.with_flaw("tired-flash", timing={**QUICK, "settle_s": 0.02, "recycle_s": 12.0})
        self.check(take)
        again = [f for f in take.frames if f.left_out]
        self.assertTrue(again)
        self.assertTrue(all("flash not ready" in (f.left_out or "") for f in again))

    def test_shaking_that_lasts_gives_shaken_frames_that_are_shot_again(self) -> None:
        self.bench.change(BenchChange(scene="graupel"))  # sharp somewhere in every frame: elsewhere it does not show
        self.addCleanup(self.bench.change, BenchChange(scene="jewel-wasp"))
        # Chance decides where the swing is when the flash fires: one run in ten or so goes by unharmed.
        for _ in range(5):
            _, take = self.with_flaw("shaking", timing={**QUICK, "settle_s": 0.02, "recycle_s": 0.0})
            self.check(take)
            shaken = [f for f in take.frames if "shaken" in (f.left_out or "")]
            if shaken:
                break
        self.assertTrue(shaken)
        self.assertTrue(all("shot again" in (f.left_out or "") for f in shaken))

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
                self.bench.light.set_flash(FlashEntry(power=0.1, on=True))
                self.check(self.run_it(stack))

    def check(self, take: TakeView) -> None:
        self.assertEqual(take.task.state, "done", take.task.message)  # type: ignore[union-attr]
        self.assertEqual(sorted(f.rung or 0 for f in kept(take)), list(range(len(take.series.rungs_um))))


if __name__ == "__main__":
    unittest.main()
