"""The bench through its use cases: real database, the simulated rail's own process, simulated camera and flash."""

import unittest
from itertools import count
from typing import Any, ClassVar

from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.settings import settings
from amber_ladder.work import cabinet, plan, rigs
from amber_ladder.work.shoot import Bench, BenchChange, FlashEntry, RunEntry
from amber_ladder.work.stack.views import FrameView, StackView, TakeView
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.rail import RailProcess
from tests.support.station import database, until

QUICK = {"settle_s": 0.25, "exposure_s": 0.01, "recycle_s": 0.6}
_NUMBERS = count(1)
CONFIRMED = ["rig", "ends", "light", "room", "limits", "caution:flash", "caution:rail", "caution:permits"]
SURE = RunEntry(confirmed=CONFIRMED)


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
    rail_options: ClassVar[tuple[str, ...]] = ()

    @classmethod
    def setUpClass(cls) -> None:
        database()
        cls.rail = RailProcess(*cls.rail_options)
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
        self.bench.light.set_flash(FlashEntry(power=0.1, on=True))
        return stack

    def run_it(self, stack: StackView, entry: RunEntry = SURE) -> TakeView:
        take = self.bench.begin_run(stack.id, entry)
        return self.ended(stack, take.id)

    def ended(self, stack: StackView, take_id: int) -> TakeView:
        def over() -> bool:
            return self.bench.view().busy is None

        until(over, "the run to end")
        return next(one for one in plan.read_stack(stack.id).takes if one.id == take_id)
