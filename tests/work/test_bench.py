"""The bench through its use cases: real database, the simulated rail's own process, simulated camera and flash."""

import unittest
from typing import Any, ClassVar

from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.settings import settings
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import cabinet, plan, rigs
from amber_ladder.work.bench import Bench, BenchChange, FlashEntry, RunEntry
from amber_ladder.work.views import StackView, TakeView
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.rail import RailProcess
from tests.support.station import database, until

QUICK = {"settle_s": 0.25, "exposure_s": 0.01, "recycle_s": 0.6}
SURE = RunEntry(confirmed=["ends", "light", "room", "cautions", "limits"])


def bench_stack(number: str, **changes: Any) -> StackView:
    """A stack whose ladder lies well within the rail's travel, with a working distance of 34 mm."""
    specimen = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": number}))
    rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": f"rig of {number}", "working_distance_mm": 34}))
    rail = {"click_um": 2.5, "min_um": 0, "max_um": 40_000, "backlash_um": 50}
    entry = {**PLAN, "near_um": 2000, "far_um": 2200, "rail": rail, "timing": QUICK, **changes}
    return plan.save_ladder(specimen.id, plan.PlanEntry(rig_id=rig.id, plan=LadderRequestJson(**entry)))


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
        cls.bench.change(BenchChange(flaws=[], camera="simulated", scene="moss-capsule", rail="simulated"))

    def stack(self, **changes: Any) -> StackView:
        stack = bench_stack(f"B-{self.id().rsplit('.', 1)[-1][-50:]}", **changes)
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
        self.assertEqual([f.rung for f in take.frames], list(range(stack.ladder.frames)))
        self.assertEqual([f.position_um for f in take.frames], stack.ladder.positions_um)
        self.assertTrue(all(f.left_out is None and not f.faults for f in take.frames))
        store = FrameStore(settings().data)
        for frame in take.frames:
            self.assertEqual(store.original(frame.sha256, ".jpg").stat().st_size, frame.bytes)
        grown = self.bench.view().growth
        assert grown is not None
        until(lambda: self.bench.view().growth.frames == stack.ladder.frames, "the picture to grow")  # type: ignore[union-attr]
        self.assertTrue(self.bench.growing(take.id, "picture").startswith(b"\xff\xd8"))
        self.assertTrue(self.bench.growing(take.id, "depth").startswith(b"\xff\xd8"))


if __name__ == "__main__":
    unittest.main()
