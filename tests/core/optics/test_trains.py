"""Every kind of train, what was measured on it, findings, flash and drawing: against values reckoned by hand."""

import unittest
from math import log2

from amber_ladder.core.optics import (
    Check,
    Coupled,
    FiniteObjective,
    InfinityObjective,
    Lens,
    Measured,
    MeasuredValues,
    Rig,
    Sensor,
    Subject,
    Train,
    check_rig,
    draw_rig,
    explain,
    flash_change,
    power_by_meter,
    power_setting,
    resolve,
    tiles_for,
)
from amber_ladder.errors import BadInput

SENSOR = Sensor(6000, 4000, 3.76)
TRAINS: tuple[Train, ...] = (
    Lens(4, 2, 1.3, focal_mm=60, extension_mm=30, teleconverter=1.4),
    InfinityObjective(10, 0.28, 200, 150, tube_f_number=16),
    FiniteObjective(4, 0.1, 160, 200),
    Coupled(200, 4, 50, 2.8),
    Measured(5.08, effective_f_number=19),
)


class Trains(unittest.TestCase):
    def test_finite_objective_on_another_tube(self) -> None:
        optics = resolve(Rig(SENSOR, FiniteObjective(4, 0.1, 160, 200)))
        self.assertAlmostEqual(optics.magnification, 5)
        self.assertAlmostEqual(optics.effective_f_number, 25)
        self.assertIn("softer", optics.warnings[0])
        self.assertNotIn("softer", " ".join(resolve(Rig(SENSOR, FiniteObjective(4, 0.1, 160, 160))).warnings))

    def test_coupled_lenses_the_smaller_pupil_rules(self) -> None:
        # Pupils 200/4 = 50 mm and 50/2.8 = 17.9 mm: the front one rules.
        front = resolve(Rig(SENSOR, Coupled(200, 4, 50, 2.8)))
        self.assertAlmostEqual(front.magnification, 4)
        self.assertAlmostEqual(front.numerical_aperture, 17.857 / 100, places=4)
        self.assertAlmostEqual(front.effective_f_number, 200 / 17.857, places=3)
        self.assertIn("front lens's pupil", front.warnings[0])
        # Pupils 200/16 = 12.5 mm and 25 mm: the rear one rules.
        rear = resolve(Rig(SENSOR, Coupled(200, 16, 50, 2)))
        self.assertAlmostEqual(rear.numerical_aperture, 0.125)
        self.assertFalse(any("pupil" in warning for warning in rear.warnings))

    def test_every_train_explains_itself_with_the_figures_it_gives(self) -> None:
        for train in TRAINS:
            optics = resolve(Rig(SENSOR, train))
            figures = {one.key: one for one in explain(Rig(SENSOR, train))}
            self.assertAlmostEqual(figures["magnification"].values[0], optics.magnification)
            self.assertAlmostEqual(figures["numerical_aperture"].values[0], optics.numerical_aperture)
            for one in figures.values():
                self.assertTrue(one.formula and one.inputs and one.source, one)

    def test_empty_magnification_is_named(self) -> None:
        self.assertIn("Empty magnification", resolve(Rig(SENSOR, Lens(8, 5, 1))).warnings[-1])
        self.assertIn("finer than the pixels", resolve(Rig(SENSOR, Lens(4, 2, 1.3))).warnings[-1])


class WhatWasMeasured(unittest.TestCase):
    def test_it_stands_above_the_parts_and_both_are_kept(self) -> None:
        rig = Rig(SENSOR, InfinityObjective(5, 0.14, 200, 200), measured=MeasuredValues(4.93, 0.004))
        optics = resolve(rig)
        self.assertEqual((optics.magnification, optics.computed_magnification), (4.93, 5.0))
        self.assertAlmostEqual(optics.effective_f_number, 4.93 / 0.28)
        self.assertAlmostEqual(optics.pixel_um, 3.76 / 4.93)
        figures = {one.key: one for one in explain(rig)}
        self.assertEqual([one.origin for one in figures["magnification"].inputs], ["measured", "computed"])
        self.assertIsNone(figures["pixel_um"].note)

    def test_a_lenss_aperture_follows_its_measured_magnification(self) -> None:
        optics = resolve(Rig(SENSOR, Lens(4, 2, 1.3), measured=MeasuredValues(2.2)))
        self.assertAlmostEqual(optics.effective_f_number, 4 * (1 + 2.2 / 1.3))
        self.assertAlmostEqual(optics.light_lost_stops or 0, 2 * log2(1 + 2.2 / 1.3))

    def test_a_measured_aperture(self) -> None:
        train = InfinityObjective(5, 0.14, 200, 200)
        self.assertAlmostEqual(resolve(Rig(SENSOR, train, measured=MeasuredValues(na=0.12))).numerical_aperture, 0.12)
        optics = resolve(Rig(SENSOR, train, measured=MeasuredValues(effective_f_number=20)))
        self.assertAlmostEqual(optics.numerical_aperture, 5 / 40)
        self.assertAlmostEqual(optics.computed_numerical_aperture, 0.14)

    def test_more_than_two_percent_apart_is_named(self) -> None:
        train = InfinityObjective(5, 0.14, 200, 200)
        self.assertIn("-3.0%", resolve(Rig(SENSOR, train, measured=MeasuredValues(4.85))).warnings[0])
        self.assertEqual(resolve(Rig(SENSOR, train, measured=MeasuredValues(4.95))).warnings, ())


class Findings(unittest.TestCase):
    RIG = Rig(SENSOR, InfinityObjective(5, 0.14, 200, 200), working_distance_mm=34, image_circle_mm=24)

    def found(self, subject: Subject, rig: Rig = RIG) -> dict[str, Check]:
        return {one.key: one for one in check_rig(rig, resolve(rig), subject)}

    def test_tiles_for_a_specimen_larger_than_the_field(self) -> None:
        optics = resolve(self.RIG)  # field 4.512 × 3.008 mm
        tiles = tiles_for(optics, Subject(10, 3))
        # 4.512 + 2 · 3.61 = 11.7 mm reach over 10.
        self.assertEqual((tiles.across, tiles.down), (3, 1))
        self.assertIn("3 × 1 = 3", self.found(Subject(10, 3))["field"].message)
        self.assertNotIn("field", self.found(Subject(4.5, 3)))

    def test_collision(self) -> None:
        self.assertNotIn("collision", self.found(Subject(depth_mm=30)))
        near = self.found(Subject(depth_mm=33.8))["collision"]
        self.assertEqual(near.level, "fault")
        self.assertIn("within 0.2 mm", near.message)
        self.assertIn("touches", self.found(Subject(depth_mm=40))["collision"].message)

    def test_image_circle(self) -> None:
        self.assertIn("27.1 mm", self.found(Subject())["image_circle"].message)


class Flash(unittest.TestCase):
    def test_three_stops_are_eight_times_the_light(self) -> None:
        change = flash_change(5.6, 5.6 * 2**1.5, 1 / 16)
        self.assertAlmostEqual(change.stops, 3)
        self.assertEqual(change.setting, "1/2")
        self.assertAlmostEqual(change.power or 0, 0.5)

    def test_thirds_and_the_ends(self) -> None:
        self.assertEqual(power_setting(2 ** (-10 / 3)), "1/16 + 2/3")
        self.assertEqual(power_setting(1), "1/1")
        beyond = flash_change(10, 40, 0.5)
        self.assertIsNone(beyond.power)
        self.assertAlmostEqual(beyond.missing_stops, 3)

    def test_a_meters_reading_holds_for_the_effective_aperture(self) -> None:
        # f/11 was read; through f/5.6 at 3:1 the sensor sees f/22.4: 2.05 stops more.
        change = power_by_meter(11, 1 / 16, 22.4)
        self.assertAlmostEqual(change.stops, 2.05, delta=0.01)
        self.assertEqual(change.setting, "1/4")
        told = power_by_meter(11, 1 / 16, 22.4, metered_iso=100, camera_iso=400, taken_stops=0.5)
        self.assertAlmostEqual(told.stops, 0.55, delta=0.01)
        self.assertAlmostEqual(power_by_meter(4, 1 / 4, 16).missing_stops, 2.0)


class DrawnToScale(unittest.TestCase):
    def test_the_cone_is_that_of_the_apertures(self) -> None:
        for train in TRAINS:
            rig = Rig(SENSOR, train)
            optics = resolve(rig)
            drawing = draw_rig(rig, optics)
            (before, height), (end, _) = drawing.cone[-2], drawing.cone[-1]
            self.assertAlmostEqual(height / (end - before), optics.numerical_aperture, places=6)
            self.assertEqual(drawing.parts[0].kind, "sensor")
            self.assertEqual(drawing.parts[-1].kind, "specimen")
            self.assertTrue(all(0 <= part.at_mm <= drawing.length_mm for part in drawing.parts))

    def test_a_thin_lens_stands_at_its_image_distance(self) -> None:
        rig = Rig(SENSOR, Lens(4, 1, 1, focal_mm=100))
        lens = next(part for part in draw_rig(rig, resolve(rig)).parts if part.kind == "lens")
        self.assertAlmostEqual(lens.at_mm, 200)
        self.assertEqual(draw_rig(rig, resolve(rig)).assumed, ())


class Impossible(unittest.TestCase):
    def test_aperture_above_the_mediums_index(self) -> None:
        with self.assertRaises(BadInput) as caught:
            resolve(Rig(SENSOR, FiniteObjective(40, 1.25, 160, 160)))
        self.assertEqual(caught.exception.field, "train")
        resolve(Rig(SENSOR, FiniteObjective(40, 1.25, 160, 160), medium_index=1.515))


if __name__ == "__main__":
    unittest.main()
