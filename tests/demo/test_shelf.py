"""The made-up field station holds together: what a person meets first must not be wrong."""

import unittest

from amber_ladder.core.optics import check_rig, resolve
from amber_ladder.core.planning import Circumstances, cautions_for
from amber_ladder.demo.shelf import DEMO, FIVE, PARTS, RIGS
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.simulated.specimens import SPECIMENS
from amber_ladder.work.on_disk.planning import ladder_of


class FieldStation(unittest.TestCase):
    def rig_of(self, name: str, medium_index: float) -> RigJson:
        return next(entry for entry in RIGS if entry.name == name).in_medium(medium_index)

    def test_rigs_are_put_together_from_parts_that_are_there(self) -> None:
        shelf = {(one.part.kind, one.name) for one in PARTS}
        self.assertEqual(len(shelf), len(PARTS))
        for entry in RIGS:
            self.assertLessEqual(set(entry.parts.items()), shelf, entry.name)
        self.assertIn(FIVE, [entry.name for entry in RIGS])

    def test_a_rigs_figures_are_those_of_its_parts(self) -> None:
        by_name = {(one.part.kind, one.name): one.part for one in PARTS}
        for entry in RIGS:
            train = entry.train.model_dump()
            for kind, name in entry.parts.items():
                part = by_name[kind, name].model_dump()  # type: ignore[index]
                for key in ("nominal_magnification", "na", "design_tube_mm", "tube_mm", "focal_mm"):
                    if key in part and key in train:
                        self.assertEqual(train[key], part[key], f"{entry.name}: {key}")
                if kind == "body":
                    self.assertEqual(entry.sensor.pixel_um, part["pixel_um"])

    def test_no_rig_has_a_fault(self) -> None:
        for entry in RIGS:
            core = entry.in_medium().to_core()
            faults = [one.message for one in check_rig(core, resolve(core)) if one.level == "fault"]
            self.assertEqual(faults, [], entry.name)

    def test_every_ladder_can_be_planned_and_shot(self) -> None:
        rail = next(one.part for one in PARTS if one.part.kind == "rail")
        for specimen in DEMO:
            if not specimen.plan:
                continue
            with self.subTest(specimen=specimen.label.catalogue_number):
                core = self.rig_of(specimen.rig, specimen.label.medium_index).to_core()
                request = LadderRequestJson.model_validate(specimen.plan)
                ladder = ladder_of(request, core, resolve(core))
                self.assertEqual(ladder.faults, ())
                self.assertGreaterEqual(ladder.overlap, 0.3 - 1e-9)
                self.assertTrue(rail.min_um <= ladder.positions_um[0] < ladder.positions_um[-1] <= rail.max_um)  # type: ignore[operator]

    def test_what_lies_on_the_bench_fits_into_its_ladder(self) -> None:
        for specimen in DEMO:
            if specimen.scene:
                assert specimen.plan is not None
                depth = specimen.plan["far_um"] - specimen.plan["near_um"]
                self.assertGreaterEqual(depth, SPECIMENS[specimen.scene].depth_um, specimen.label.name)
                self.assertTrue(specimen.methods)

    def test_the_four_kinds_are_there_each_with_its_cautions(self) -> None:
        kinds = {specimen.label.kind for specimen in DEMO}
        self.assertLessEqual({"insect", "mineral", "snow", "plant"}, kinds)
        numbers = [specimen.label.catalogue_number for specimen in DEMO]
        self.assertEqual(len(set(numbers)), len(numbers))
        for specimen in DEMO:
            label = specimen.label
            told = Circumstances(label.kind, label.name, label.mount, label.medium, label.locality, label.note)
            self.assertGreaterEqual(len(cautions_for(told)), 2, label.name)


if __name__ == "__main__":
    unittest.main()
