"""Focus travel from simulated series of a ramp of 20°."""

import unittest

import cv2
import numpy as np

from amber_ladder.core.frames import no_progress
from amber_ladder.core.measuring import Ramp, measure_ramp
from amber_ladder.core.optics import InfinityObjective, Rig, Sensor, resolve
from amber_ladder.errors import BadInput
from amber_ladder.simulated.specimens import SPECIMENS
from amber_ladder.simulated.stand import SimulatedStand
from amber_ladder.simulated.wobble import Wobble
from tests.support.stacks import MemoryFrames, shot

SENSOR = Sensor(480, 320, 16.0)
OPTICS = resolve(Rig(SENSOR, InfinityObjective(5, 0.14, 200, 200)))


def series(step_um: float, wobble: Wobble, *, upward: bool = False) -> MemoryFrames:
    bench = SimulatedStand(SPECIMENS["focus-ramp"], OPTICS, SENSOR, near_um=0, seed=2, wobble=wobble)
    positions = np.arange(0, 656, step_um)
    pictures = []
    for position in positions[::-1] if upward else positions:
        bench.move_to(float(position))
        pictures.append(cv2.imdecode(np.frombuffer(bench.expose().content, np.uint8), cv2.IMREAD_COLOR_RGB))
    return MemoryFrames(pictures)  # type: ignore[arg-type]


def measured(frames: MemoryFrames) -> Ramp:
    return measure_ramp(frames, slope_deg=20, um_per_px=OPTICS.pixel_um, progress=no_progress)


class MeasureRamp(unittest.TestCase):
    def test_with_noise_and_breathing_within_2_percent(self) -> None:
        for step, wobble in (
            (25.0, Wobble()),
            (25.0, Wobble(breathing_per_mm=0.05, full_well=6000)),
            (40.0, Wobble(breathing_per_mm=0.03, flicker=0.05)),
        ):
            with self.subTest(step=step, wobble=wobble):
                found = measured(series(step, wobble))
                self.assertLess(abs(found.um_per_frame / step - 1), 0.02)
                self.assertLess(found.u_um_per_frame, 0.02 * step)
                self.assertLess(found.residual_um, 0.1 * step)
                self.assertAlmostEqual(found.direction_deg, 0, delta=1)
                self.assertEqual(len(found.residuals_um), len(found.bands))

    def test_either_way_gives_the_same_travel(self) -> None:
        found = measured(series(30, Wobble(), upward=True))
        self.assertAlmostEqual(found.um_per_frame, 30, delta=0.6)
        self.assertAlmostEqual(abs(found.direction_deg), 180, delta=1)

    def test_frames_without_a_band_are_named(self) -> None:
        found = measured(series(25, Wobble()))
        self.assertIn(0, found.without_band)
        self.assertNotIn(13, found.without_band)

    def test_what_is_no_ramp_is_refused(self) -> None:
        still = MemoryFrames([series(655, Wobble()).pictures[0]] * 8)
        for frames in (still, MemoryFrames(shot("wulfenite", 5).frames.pictures[:3])):
            with self.assertRaises(BadInput):
                measured(frames)
        with self.assertRaises(BadInput) as caught:
            measure_ramp(still, slope_deg=0, um_per_px=1, progress=no_progress)
        self.assertEqual(caught.exception.field, "slope_deg")


if __name__ == "__main__":
    unittest.main()
