"""Every worked value of docs/optics.md, to 0.5 %."""

import unittest

from amber_ladder.core.optics import (
    InfinityObjective,
    Lens,
    Measured,
    Rig,
    Sensor,
    Train,
    depth_of_circle_of_confusion_um,
    explain,
    flash_stops,
    objective_pupil_mm,
    paraxial_focus_ratio,
    resolve,
    rim_focus_ratio,
)
from amber_ladder.core.planning import Wanted, plan_ladder
from amber_ladder.errors import BadInput

SENSOR = Sensor(6000, 4000, 3.76)
# train: magnification, NA, N_e, sharp depth, step, detail, Airy px, worst blur px
WORKED: list[tuple[Train, tuple[float, ...]]] = [
    (InfinityObjective(5, 0.14, 200, 200), (5, 0.14, 17.86, 33.43, 23.40, 2.396, 6.37, 4.40)),
    (InfinityObjective(10, 0.28, 200, 200), (10, 0.28, 17.86, 8.358, 5.851, 1.198, 6.37, 4.54)),
    (InfinityObjective(20, 0.42, 200, 200), (20, 0.42, 23.81, 3.566, 2.496, 0.799, 8.50, 6.14)),
    (Lens(5.6, 1, 1), (1, 0.0446, 11.2, 360.2, 252.1, 7.515, 4.00, 3.00)),
    (Lens(4, 2, 1.3), (2, 0.0985, 10.15, 75.79, 53.06, 3.407, 3.62, 2.79)),
    (Lens(8, 5, 1), (5, 0.0521, 48.0, 217.2, 152.0, 6.442, 17.1, 10.5)),
]


class WorkedValues(unittest.TestCase):
    def assert_close(self, got: float, wanted: float, relative: float = 0.005) -> None:
        self.assertLessEqual(abs(got / wanted - 1), relative, f"{got} is not {wanted}")

    def test_table(self) -> None:
        for train, wanted in WORKED:
            with self.subTest(train=train):
                optics = resolve(Rig(SENSOR, train))
                wanted_here = Wanted(near_um=0, sharp_um=optics.sharp_depth_um.total, far_um=1000, overlap=0.3)
                ladder = plan_ladder(optics, wanted_here)
                got = (
                    optics.magnification,
                    optics.numerical_aperture,
                    optics.effective_f_number,
                    optics.sharp_depth_um.total,
                    ladder.step_um,
                    optics.detail_um,
                    optics.airy_px,
                    ladder.worst_blur_px,
                )
                for one, two in zip(got, wanted, strict=True):
                    self.assert_close(one, two)

    def test_light_lost(self) -> None:
        for (train, _), stops in zip(WORKED[3:], (2.00, 2.69, 5.17), strict=True):
            lost = resolve(Rig(SENSOR, train)).light_lost_stops
            assert lost is not None
            self.assert_close(lost, stops)

    def test_objective_on_a_shorter_tube(self) -> None:
        optics = resolve(Rig(SENSOR, InfinityObjective(10, 0.28, 200, 150)))
        self.assert_close(optics.magnification, 7.5)
        self.assert_close(optics.effective_f_number, 13.39)
        self.assert_close(objective_pupil_mm(0.28, 10, 200), 11.2)

    def test_circle_of_confusion(self) -> None:
        self.assert_close(depth_of_circle_of_confusion_um(5.6, 1, 30), 672)
        self.assert_close(resolve(Rig(SENSOR, Lens(5.6, 1, 1))).sharp_depth_um.geometric, 672)

    def test_focus_in_resin(self) -> None:
        self.assert_close(20 * paraxial_focus_ratio(1.54), 30.8)
        self.assert_close(20 * rim_focus_ratio(0.14, 1.54), 30.98, relative=0.0005)

    def test_flash_follows_the_aperture(self) -> None:
        self.assertAlmostEqual(flash_stops(11.2, 22.4), 2.0)


class Trains(unittest.TestCase):
    def test_extension_and_teleconverter_multiply_after_the_tubes_add(self) -> None:
        optics = resolve(Rig(SENSOR, Lens(4, 1, 1, focal_mm=100, extension_mm=50, teleconverter=2)))
        self.assertAlmostEqual(optics.magnification, 3.0)
        self.assertAlmostEqual(optics.effective_f_number, 4 * 2.5 * 2)

    def test_an_iris_below_the_pupil_lowers_the_aperture_and_says_so(self) -> None:
        optics = resolve(Rig(SENSOR, InfinityObjective(10, 0.28, 200, 200, tube_f_number=40)))
        self.assertAlmostEqual(optics.numerical_aperture, 5.0 / 40.0)
        self.assertIn("lowered", optics.warnings[0])
        open_iris = resolve(Rig(SENSOR, InfinityObjective(10, 0.28, 200, 200, tube_f_number=4)))
        self.assertEqual(open_iris.numerical_aperture, 0.28)

    def test_measured_by_either_aperture_is_the_same_rig(self) -> None:
        by_na = resolve(Rig(SENSOR, Measured(5, na=0.14)))
        by_f_number = resolve(Rig(SENSOR, Measured(5, effective_f_number=5 / 0.28)))
        self.assertAlmostEqual(by_na.sharp_depth_um.total, by_f_number.sharp_depth_um.total)

    def test_a_guessed_pupil_is_named(self) -> None:
        self.assertIn("guess", resolve(Rig(SENSOR, Lens(4, 2))).warnings[0])

    def test_impossible_trains(self) -> None:
        for train in (Measured(5), Lens(0.5, 9, 9), Lens(4, 1, 1, extension_mm=20)):
            with self.subTest(train=train), self.assertRaises(BadInput):
                resolve(Rig(SENSOR, train))

    def test_every_figure_has_formula_inputs_and_source(self) -> None:
        for train, wanted in WORKED:
            figures = {figure.key: figure for figure in explain(Rig(SENSOR, train))}
            self.assertAlmostEqual(figures["sharp_depth_um"].values[0] / wanted[3], 1, delta=0.005)
            for figure in figures.values():
                self.assertTrue(figure.formula and figure.inputs and figure.source, figure.key)


if __name__ == "__main__":
    unittest.main()
