"""Rigs with versions and parts, and what was measured on them, on a real database."""

import unittest
from typing import Any, ClassVar

import cv2
import numpy as np

from amber_ladder.core.measuring import Ramp, find_ruling
from amber_ladder.core.optics import resolve
from amber_ladder.errors import BadInput, Conflict, UnreadablePicture
from amber_ladder.formats.part_json import BodyJson, RailPartJson
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.simulated.specimens import RULING_UM, SPECIMENS
from amber_ladder.simulated.stand import SimulatedStand
from amber_ladder.work import cabinet, deeds, plan, rigs, tasks
from amber_ladder.work.on_disk.calibrating import ramp_json, scale_json
from amber_ladder.work.rigs import calibrations, parts, ramps, scales
from tests.support.examples import PLAN, RIG, SPECIMEN, picture
from tests.support.rulings import ruled_slide
from tests.support.station import database


def encoded(picture: np.ndarray) -> bytes:
    return bytes(cv2.imencode(".png", np.rint(picture * 255).astype(np.uint8))[1])


def by_id(rig_id: int) -> rigs.RigView:
    return next(rig for rig in rigs.shelf() if rig.id == rig_id)


class OneRig(unittest.TestCase):
    number: ClassVar[int] = 0

    def setUp(self) -> None:
        database()
        type(self).number += 1
        name = f"{type(self).__name__} {self.number}"
        sensor = {"width_px": 480, "height_px": 320, "pixel_um": 16.0}
        self.entry = rigs.RigEntry(**{**RIG, "name": name, "sensor": sensor})
        self.rig = rigs.add_rig(self.entry)


class Versions(OneRig):
    def test_every_change_is_kept_and_a_stack_names_the_one_it_was_planned_with(self) -> None:
        specimen = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": "V-1"}))
        entry = plan.PlanEntry(rig_id=self.rig.id, plan=LadderRequestJson(**PLAN))
        stack = plan.save_ladder(specimen.id, entry)
        changed = self.entry.model_copy(update={"working_distance_mm": 34.0})
        self.assertEqual(rigs.edit_rig(self.rig.id, changed).version, 2)
        self.assertEqual(rigs.edit_rig(self.rig.id, changed).version, 2)  # nothing changed
        self.assertEqual([one.number for one in rigs.versions(self.rig.id)], [1, 2])
        self.assertIsNone(rigs.versions(self.rig.id)[0].rig.working_distance_mm)
        self.assertEqual(plan.read_stack(stack.id).rig_version, 1)
        self.assertEqual(plan.save_ladder(specimen.id, entry).rig_version, 2)

    def test_the_flash_changes_from_the_rig_on_the_bench(self) -> None:
        rigs.put_on_bench(self.rig.id, rigs.BenchEntry(flash_power=1 / 8))
        twice = self.entry.model_copy(deep=True)
        twice.train.tube_mm = 400  # type: ignore[union-attr]
        does = rigs.try_out(twice)
        assert does.flash is not None
        self.assertAlmostEqual(does.flash.stops, 2)
        self.assertEqual((does.flash.setting, does.flash_from), ("1/2", self.rig.name))


class Parts(unittest.TestCase):
    def test_a_shelf_of_parts(self) -> None:
        database()
        body = parts.add_part(
            parts.PartEntry(name="bench camera", part=BodyJson(width_px=640, height_px=480, pixel_um=5))
        )
        parts.add_part(parts.PartEntry(name="bench camera", part=RailPartJson(click_um=2.5)))
        with self.assertRaisesRegex(Conflict, "body is called bench camera"):
            parts.add_part(parts.PartEntry(name="bench camera", part=BodyJson(width_px=640, height_px=480, pixel_um=5)))
        parts.edit_part(
            body.id, parts.PartEntry(name="field camera", part=BodyJson(width_px=640, height_px=480, pixel_um=4))
        )
        self.assertEqual({(one.name, one.part.kind) for one in parts.shelf()},
                         {("field camera", "body"), ("bench camera", "rail")})  # fmt: skip


class Scale(OneRig):
    def test_from_a_picture_of_a_ruling(self) -> None:
        # 12 px for 40 µm: 3.333 µm/px, where the parts say 16 / 5 = 3.2.
        slide = encoded(ruled_slide(12, 4, size=(480, 320)))
        found = scales.bring_scale_picture(self.rig.id, "slide.png", [slide])
        assert found.ruling is not None
        self.assertAlmostEqual(found.ruling.pitch_px, 12, delta=0.02)
        self.assertAlmostEqual(found.nominal_um_per_px, 3.2)
        saved = scales.save_scale(self.rig.id, scales.ScaleEntry(picture=found.picture, length_um=40))
        assert saved.result is not None
        self.assertAlmostEqual(saved.result["um_per_px"], 40 / 12, delta=0.005)
        self.assertAlmostEqual(saved.result["deviation"], 40 / 12 / 3.2 - 1, delta=0.002)
        self.assertTrue(saved.result["deviation_is_large"])
        rig = by_id(self.rig.id)
        self.assertEqual((rig.version, rig.does.optics.pixel_origin), (2, "measured"))
        self.assertAlmostEqual(rig.does.optics.pixel_um, 40 / 12, delta=0.005)
        self.assertIn("differ", rig.does.optics.warnings[0])
        self.assertEqual([one.method for one in calibrations.of_rig(self.rig.id)], ["ruling"])
        self.assertTrue(calibrations.picture_preview(found.picture.sha256, ".png").startswith(b"\xff\xd8"))

    def test_one_far_from_nominal_is_shown_and_asked_about_before_it_is_saved(self) -> None:
        slide = scales.bring_scale_picture(self.rig.id, "s.png", [encoded(ruled_slide(12, 4, size=(480, 320)))])
        # 1/25 mm taken for 1/50: half of what the parts say.
        entry = scales.ScaleEntry(picture=slide.picture, length_um=20)
        shown = scales.scale_of(self.rig.id, entry)
        self.assertAlmostEqual(shown["um_per_px"], 20 / 12, delta=0.003)
        self.assertTrue(shown["must_be_confirmed"])
        with self.assertRaisesRegex(Conflict, "-48 % from what the parts compute"):
            scales.save_scale(self.rig.id, entry)
        self.assertEqual((calibrations.of_rig(self.rig.id), by_id(self.rig.id).version), ([], 1))
        scales.save_scale(self.rig.id, entry.model_copy(update={"despite_deviation": True}))
        self.assertAlmostEqual(by_id(self.rig.id).does.optics.pixel_um, 20 / 12, delta=0.003)
        near = scales.scale_of(self.rig.id, entry.model_copy(update={"length_um": 40}))
        self.assertEqual((near["deviation_is_large"], near["must_be_confirmed"]), (True, False))

    def test_the_same_scale_measured_again_is_no_new_version(self) -> None:
        slide = scales.bring_scale_picture(self.rig.id, "s.png", [encoded(ruled_slide(12, 4, size=(480, 320)))])
        for _ in range(2):
            scales.save_scale(self.rig.id, scales.ScaleEntry(picture=slide.picture, length_um=40))
        self.assertEqual(len(calibrations.of_rig(self.rig.id)), 2)
        self.assertEqual((by_id(self.rig.id).version, len(rigs.versions(self.rig.id))), (2, 2))

    def test_one_that_proved_wrong_is_set_aside_and_counts_again(self) -> None:
        slide = scales.bring_scale_picture(self.rig.id, "s.png", [encoded(ruled_slide(12, 4, size=(480, 320)))])
        good, wrong = (
            scales.save_scale(self.rig.id, scales.ScaleEntry(picture=slide.picture, length_um=length))
            for length in (38.4, 42)
        )
        self.assertAlmostEqual(by_id(self.rig.id).does.optics.pixel_um, 3.5, delta=0.01)
        newest, _ = calibrations.set_aside(wrong.id, aside=True)
        self.assertIsNotNone(newest.set_aside_at)
        self.assertAlmostEqual(by_id(self.rig.id).does.optics.pixel_um, 3.2, delta=0.01)
        calibrations.set_aside(good.id, aside=True)
        self.assertEqual(by_id(self.rig.id).does.optics.pixel_origin, "nominal")
        calibrations.set_aside(wrong.id, aside=False)
        self.assertAlmostEqual(by_id(self.rig.id).does.optics.pixel_um, 3.5, delta=0.01)
        self.assertEqual(by_id(self.rig.id).version, len(rigs.versions(self.rig.id)))

    def test_a_magnification_that_was_typed_in_is_left_alone(self) -> None:
        slide = scales.bring_scale_picture(self.rig.id, "s.png", [encoded(ruled_slide(12, 4, size=(480, 320)))])
        saved = scales.save_scale(self.rig.id, scales.ScaleEntry(picture=slide.picture, length_um=40))
        typed = rigs.RigEntry(**{**self.entry.model_dump(exclude_none=True), "measured": {"magnification": 5.1}})
        rigs.edit_rig(self.rig.id, typed)
        calibrations.set_aside(saved.id, aside=True)
        self.assertAlmostEqual(by_id(self.rig.id).does.optics.magnification, 5.1)

    def test_by_two_points_where_no_ruling_is_found(self) -> None:
        content = picture(480, 320, seed=3)
        found = scales.bring_scale_picture(self.rig.id, "coin.jpg", [content])
        self.assertIsNone(found.ruling)
        self.assertIn("two points", found.reason or "")
        entry: dict[str, Any] = {"picture": found.picture, "length_um": 1000}
        saved = scales.save_scale(self.rig.id, scales.ScaleEntry(**entry, points=(40, 100, 340, 100)))
        assert saved.result is not None
        # Two points to 1 px each over 300 px, and 0.1 % of the length, which is assumed: 0.016 of 3.333.
        u = 1000 / 300 * ((2**0.5 / 300) ** 2 + (0.001 / 3**0.5) ** 2) ** 0.5
        self.assertAlmostEqual(saved.result["um_per_px"], 3.333)
        self.assertAlmostEqual(saved.result["u_um_per_px"], u, delta=0.0005)
        self.assertTrue(saved.result["tolerance_assumed"])
        told = scales.ScaleEntry(**entry, points=(40, 100, 340, 100), tolerance_percent=2)
        result = scales.save_scale(self.rig.id, told).result
        assert result is not None
        self.assertFalse(result["tolerance_assumed"])
        self.assertAlmostEqual(result["u_um_per_px"], 0.042, delta=0.001)  # 2 % / √3 of 3.33, and the reading
        self.assertEqual(result["um_per_px"], 3.333)
        with self.assertRaises(BadInput) as caught:
            scales.save_scale(self.rig.id, scales.ScaleEntry(**entry, points=(40, 100, 45, 100)))
        self.assertEqual(caught.exception.field, "points")

    def test_a_picture_of_another_size_is_refused_and_nothing_is_saved(self) -> None:
        with self.assertRaisesRegex(UnreadablePicture, "240 × 160 px"):
            scales.bring_scale_picture(self.rig.id, "small.jpg", [picture(240, 160)])
        self.assertEqual(calibrations.of_rig(self.rig.id), [])
        self.assertEqual(by_id(self.rig.id).version, 1)

    def test_the_simulated_slide_gives_the_rigs_own_scale(self) -> None:
        wide = rigs.edit_rig(
            self.rig.id, self.entry.model_copy(update={"sensor": self.entry.sensor.model_copy(update={"pixel_um": 8})})
        )
        found = scales.shoot_ruled_slide(wide.id)
        assert found.ruling is not None
        self.assertAlmostEqual(RULING_UM / found.ruling.pitch_px, 1.6, delta=0.003)


class Tolerance(unittest.TestCase):
    """A ruling is no truer than it is ruled, however well its lines are found."""

    def test_the_rulings_own_tolerance_is_in_the_uncertainty(self) -> None:
        ruling = find_ruling(ruled_slide(20, 3))
        for percent, relative in ((None, 0.001 / 3**0.5), (0.0, 0.0), (1.0, 0.01 / 3**0.5)):
            found = scale_json(ruling, 10.0, percent)
            reading = ruling.u_pitch_px / ruling.pitch_px
            self.assertAlmostEqual(
                found["u_um_per_px"] / found["um_per_px"], (reading**2 + relative**2) ** 0.5, places=4
            )
            self.assertEqual(found["tolerance_assumed"], percent is None)
        # No more digits than that bears: 0.5 ± 0.0029, not 0.500009.
        self.assertEqual(scale_json(ruling, 10.0, 1.0)["um_per_px"], 0.5)

    def test_the_slopes_tolerance_is_in_that_of_a_ramp(self) -> None:
        ramp = Ramp(40.0, 0.04, 0.0, 5.0, 0.0, (), (), 0.0, ())
        # 0.5° of 20°: 0.00873 / (sin 20° cos 20°) / √3 = 1.57 %.
        found = ramp_json(ramp, (), slope_deg=20.0)
        self.assertEqual((found["um_per_frame"], found["u_um_per_frame"]), (40.0, 0.63))
        self.assertTrue(found["slope_tolerance_assumed"])
        self.assertEqual(ramp_json(ramp, (), slope_deg=20.0, slope_tolerance_deg=0.0)["u_um_per_frame"], 0.04)


class FocusUnits(OneRig):
    def result_of(self, begun: calibrations.CalibrationView) -> calibrations.CalibrationView:
        assert begun.task is not None
        tasks.run(begun.task.id)
        return next(one for one in calibrations.of_rig(self.rig.id) if one.id == begun.id)

    def test_from_a_ramp_on_the_simulated_bench(self) -> None:
        entry = ramps.RampEntry(slope_deg=20, units_per_frame=4, unit="step", simulated_unit_um=7.5)
        done = self.result_of(ramps.begin_ramp(self.rig.id, entry))
        assert done.result is not None
        self.assertLess(abs(done.result["um_per_unit"] / 7.5 - 1), 0.02)
        self.assertLess(done.result["u_um_per_unit"], 0.2)
        self.assertEqual(len(done.result["residuals_um"]), len(done.result["bands"]))
        self.assertEqual(done.result["scale_from"], "nominal")

    def test_from_frames_that_were_brought(self) -> None:
        rig = RigJson(sensor=self.entry.sensor, train=self.entry.train).to_core()
        bench = SimulatedStand(SPECIMENS["focus-ramp"], resolve(rig), rig.sensor, near_um=0, seed=4)
        begun = ramps.begin_ramp(self.rig.id, ramps.RampEntry(slope_deg=20))
        with self.assertRaisesRegex(BadInput, "too few"):
            ramps.measure(begun.id)
        with self.assertRaisesRegex(UnreadablePicture, "320 × 480 px"):
            ramps.add_ramp_frame(begun.id, "on end.jpg", [picture(320, 480)])
        for i in range(16):
            bench.move_to(40.0 * i)
            ramps.add_ramp_frame(begun.id, f"r_{i}.jpg", [bench.expose().content])
        done = self.result_of(ramps.measure(begun.id))
        assert done.result is not None
        self.assertLess(abs(done.result["um_per_unit"] / 40 - 1), 0.02)
        self.assertEqual([one["name"] for one in done.pictures][:3], ["r_0.jpg", "r_1.jpg", "r_2.jpg"])
        with self.assertRaisesRegex(Conflict, "complete"):
            ramps.add_ramp_frame(begun.id, "late.jpg", [picture(480, 320)])

    def test_pictures_without_a_band_fail_with_words_and_leave_no_result(self) -> None:
        begun = ramps.begin_ramp(self.rig.id, ramps.RampEntry(slope_deg=20))
        for i in range(5):
            ramps.add_ramp_frame(begun.id, f"r_{i}.jpg", [picture(480, 320, seed=1)])
        done = self.result_of(ramps.measure(begun.id))
        assert done.task is not None
        self.assertEqual((done.task.state, done.result), ("failed", None))
        self.assertIn("no sharp band", done.task.message)
        self.discard(done.id)
        self.assertEqual(calibrations.of_rig(self.rig.id), [])

    def test_a_result_that_counts_is_not_discarded(self) -> None:
        entry = ramps.RampEntry(slope_deg=20, units_per_frame=4, simulated_unit_um=10)
        done = self.result_of(ramps.begin_ramp(self.rig.id, entry))
        with self.assertRaisesRegex(Conflict, "set it aside first"):
            self.discard(done.id)
        calibrations.set_aside(done.id, aside=True)
        self.discard(done.id)
        self.assertEqual(calibrations.of_rig(self.rig.id), [])

    def discard(self, calibration_id: int) -> None:
        deeds.discard(deeds.DiscardEntry(kind="calibration", id=calibration_id, why="a trial"))


if __name__ == "__main__":
    unittest.main()
