"""RIG.json, PLAN.json and parts as users write them: what is taken, what it becomes, what is refused and where."""

import unittest
from typing import Any

from pydantic import TypeAdapter, ValidationError

from amber_ladder.core import planning
from amber_ladder.core.optics import resolve
from amber_ladder.errors import BadInput
from amber_ladder.formats.part_json import PartJson
from amber_ladder.formats.plan_json import LadderRequestJson, PlanJson, ladder_json, optics_json
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.formats.validated import validated
from amber_ladder.work.on_disk.planning import ladder_of, whole_ladder

SENSOR = {"width_px": 6000, "height_px": 4000, "pixel_um": 3.76}
TRAINS: dict[str, tuple[dict[str, Any], tuple[float, float]]] = {
    # magnification and effective f-number, by hand
    "lens": ({"f_number": 4, "magnification": 2, "pupil_magnification": 1.3}, (2, 10.154)),
    "infinity_objective": (
        {"nominal_magnification": 10, "na": 0.28, "design_tube_mm": 200, "tube_mm": 150}, (7.5, 13.393),
    ),
    "finite_objective": ({"nominal_magnification": 4, "na": 0.1, "design_tube_mm": 160, "tube_mm": 200}, (5, 25)),
    "coupled": ({"rear_focal_mm": 200, "rear_f_number": 16, "front_focal_mm": 50, "front_f_number": 2}, (4, 16)),
    "measured": ({"magnification": 5.08, "effective_f_number": 19.5}, (5.08, 19.5)),
}  # fmt: skip


def rig(kind: str, **more: Any) -> dict[str, Any]:
    return {"sensor": SENSOR, "train": {"kind": kind, **TRAINS[kind][0]}, **more}


class Rigs(unittest.TestCase):
    def test_every_kind_of_train(self) -> None:
        for kind, (_, wanted) in TRAINS.items():
            with self.subTest(kind=kind):
                said = optics_json(resolve(RigJson.model_validate(rig(kind)).to_core()))
                self.assertLess(abs(said["magnification"] / wanted[0] - 1), 0.005)
                self.assertLess(abs(said["effective_f_number"] / wanted[1] - 1), 0.005)
                self.assertEqual(set(said["sharp_depth_um"]), {"wave", "detector", "geometric", "total"})

    def test_what_is_kept_reads_back_the_same(self) -> None:
        for kind in TRAINS:
            whole = RigJson.model_validate(
                rig(kind, measured={"magnification": 4.9, "u_magnification": 0.01}, working_distance_mm=30)
            )
            again = RigJson.model_validate(whole.model_dump(mode="json", exclude_none=True))
            self.assertEqual(again, whole)
            self.assertEqual(again.to_core(), whole.to_core())

    def test_figures_of_nothing_that_exists_are_refused_with_the_least_there_is(self) -> None:
        for field, value, words in (
            ("na", 1e-9, "must be 0.0001 or more"), ("na", 0, "must be more than 0"),
            ("design_tube_mm", 2e-309, "must be 0.001 or more"), ("nominal_magnification", 1e-52, "must be 0.001 or more"),
        ):  # fmt: skip
            told = rig("finite_objective")
            told["train"][field] = value
            with self.subTest(field=field, value=value), self.assertRaisesRegex(BadInput, words):
                validated(RigJson, told)

    def test_what_is_impossible_is_refused(self) -> None:
        for change in (
            {"measured": {"na": 0.1, "effective_f_number": 20}},
            {"measured": {"magnification": 0}},
            {"working_distance_mm": -1},
            {"image_circle_mm": float("nan")},
            {"surprise": 1},
        ):
            with self.subTest(change=change), self.assertRaises(ValidationError):
                RigJson.model_validate(rig("lens", **change))


class Plans(unittest.TestCase):
    def test_each_measure_of_sharpness(self) -> None:
        core = RigJson.model_validate(rig("lens")).to_core()
        depths = {}
        for sharpness in (
            {"kind": "wave"},
            {"kind": "pixels", "count": 2},
            {"kind": "screen", "width_px": 1920},
            {"kind": "print", "width_mm": 300, "distance_mm": 400},
            {"kind": "circle", "circle_um": 30},
        ):
            plan = LadderRequestJson.model_validate({"near_um": 0, "far_um": 900, "sharpness": sharpness})
            depths[sharpness["kind"]] = ladder_of(plan, core, resolve(core)).sharp_depth_um
        # 2 N_e C / m²: 2 · 10.154 · 30 / 4 µm for a circle of 30 µm, and in proportion for the others.
        self.assertAlmostEqual(depths["circle"], 152.3, delta=0.1)
        self.assertAlmostEqual(depths["pixels"] / depths["circle"], 7.52 / 30, places=4)
        self.assertAlmostEqual(depths["screen"] / depths["circle"], 11.75 / 30, places=4)
        self.assertAlmostEqual(depths["wave"], 75.79, delta=0.4)

    def test_a_bodys_steps_are_whole_and_said(self) -> None:
        plan = PlanJson.model_validate(
            {"rig": rig("infinity_objective"), "near_um": 0, "far_um": 300, "focus_unit": {"um_per_unit": 1.7}}
        )
        self.assertEqual(plan.moves, "focus_ring")
        said = ladder_json(whole_ladder(plan), plan)
        self.assertAlmostEqual(said["step_um"], said["step_units"] * 1.7)

    def test_a_plan_reads_back_the_same(self) -> None:
        plan = LadderRequestJson.model_validate(
            {
                "near_um": 5,
                "budget_s": 90,
                "step_um": 12,
                "rail": {"click_um": 2, "min_um": 0, "max_um": 900, "backlash_um": 10},
                "sharpness": {"kind": "print", "width_mm": 200, "distance_mm": 300},
                "timing": {"settle_s": 1, "exposure_s": 0.1, "recycle_s": 0.5, "transfer_s": 0.9},
            }
        )
        again = LadderRequestJson.model_validate(plan.model_dump(mode="json", exclude_none=True))
        self.assertEqual(again, plan)
        self.assertEqual(again.timing.to_core().rung_s, 2.0)  # the file moves while the flash recycles
        self.assertEqual(again.to_rail(), planning.Rail(2, 0, 900, 10))

    def test_a_plan_without_rail_or_overlap_is_the_usual_one(self) -> None:
        plan = PlanJson.model_validate({"rig": rig("lens"), "near_um": 0, "far_um": 900})
        self.assertAlmostEqual(whole_ladder(plan).overlap, 0.3)


class Parts(unittest.TestCase):
    def test_each_kind_of_part(self) -> None:
        any_part: TypeAdapter[Any] = TypeAdapter(PartJson)
        for part in (
            {"kind": "body", **SENSOR},
            {"kind": "lens", "focal_mm": 65, "f_number": 2.8},
            {"kind": "objective", "nominal_magnification": 5, "na": 0.14, "design_tube_mm": 200},
            {"kind": "tube", "tube_mm": 200, "tube_f_number": 4},
            {"kind": "rail", "click_um": 2.5},
            {"kind": "light", "recycle_s": 3},
        ):
            self.assertEqual(any_part.validate_python(part).kind, part["kind"])
        for bad in (
            {"kind": "rail", "click_um": 0},
            {"kind": "rail", "click_um": 1, "min_um": 5, "max_um": 5},
            {"kind": "objective", "nominal_magnification": 5, "na": 2, "design_tube_mm": 200},
            {"kind": "lens", "focal_mm": 65},
        ):
            with self.subTest(bad=bad), self.assertRaises(ValidationError):
                any_part.validate_python(bad)


if __name__ == "__main__":
    unittest.main()
