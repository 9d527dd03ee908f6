"""What a rail or a lens cannot do is not believed, whatever frames seem to show; and it is said."""

import unittest
from functools import cache

import cv2
import numpy as np

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import Growth, Survey, findings, survey
from amber_ladder.core.registration import scale_of
from benchmarks.stacks import Stack
from tests.support.stacks import MemoryFrames

TRUE_PER_MM = 0.01  # of the simulated bench


@cache
def dome() -> Stack:
    return Stack("dome", 34, (640, 512))


def grown(stack: Stack, more: float) -> MemoryFrames:
    """Its frames as a lens would show them whose picture grows by so much more from first to last."""
    height, width = stack.frames.shape
    pictures = []
    for at, picture in enumerate(stack.frames.pictures):
        scale = 1.0 + more * at / (len(stack.positions) - 1)
        centre = ((width - 1) / 2, (height - 1) / 2)
        matrix = cv2.getRotationMatrix2D(centre, 0.0, scale)
        pictures.append(np.asarray(cv2.warpAffine(picture, matrix, (width, height), flags=cv2.INTER_CUBIC,
                                                  borderMode=cv2.BORDER_REFLECT), np.uint8))  # fmt: skip
    return MemoryFrames(pictures)


def surveyed(frames: MemoryFrames, stack: Stack, limits_per_mm: tuple[float, float] | None) -> Survey:
    limits = limits_per_mm and (limits_per_mm[0] * stack.step_um / 1e3, limits_per_mm[1] * stack.step_um / 1e3)
    return survey(frames, positions_um=stack.positions, growth=limits, progress=no_progress)


class Limits(unittest.TestCase):
    def test_what_a_bench_does_is_found_with_its_uncertainty(self) -> None:
        stack = dome()
        found = surveyed(stack.frames, stack, (-0.03, 0.03))
        self.assertIsNone(found.growth.seen)
        off = abs(found.growth.per_step - TRUE_PER_MM * stack.step_um / 1e3)
        self.assertLess(off, 3.0 * found.growth.u_per_step)
        self.assertLess(found.growth.u_per_step, 0.3 * TRUE_PER_MM * stack.step_um / 1e3)

    def test_what_it_cannot_do_is_held_to_its_limit_and_said(self) -> None:
        stack = dome()
        limits = (0.008, 0.012)
        frames = grown(stack, 0.03)
        believed = surveyed(frames, stack, None)
        held = surveyed(frames, stack, limits)
        travel_mm = (stack.positions[-1] - stack.positions[0]) / 1e3
        for found, per_mm in ((believed, TRUE_PER_MM + 0.03 / travel_mm), (held, limits[1])):
            shrunk = np.log(scale_of(found.matrices[0]) / scale_of(found.matrices[-1]))
            self.assertAlmostEqual(shrunk / travel_mm, per_mm, delta=0.15 * per_mm)
        self.assertAlmostEqual(held.growth.per_step, limits[1] * stack.step_um / 1e3)
        self.assertAlmostEqual(held.growth.seen or 0.0, believed.growth.per_step, delta=1e-6)
        # How far off that may be is part of what each frame's place is known to.
        reference = held.used.index(held.reference)
        away = np.abs(np.array(held.places) - held.places[reference])
        unsure = held.growth.u_per_step * away * np.hypot(*frames.shape) / 2
        self.assertAlmostEqual(held.growth.u_per_step, (limits[1] - limits[0]) / 12**0.5 * stack.step_um / 1e3)
        self.assertTrue((np.array(held.corner_px) > 0.99 * unsure).all())
        share = [1.0 / len(held.used)] * len(held.used)
        (said,) = (one for one in findings(held, share, frames.names) if one.kind == "alignment")
        self.assertRegex(said.do, r"grew by \+3\.\d+% over the stack, which this rig cannot do: \+0\.\d+% was taken")
        self.assertNotIn("grew by", " ".join(one.do for one in findings(believed, share, frames.names)))

    def test_a_doubt_of_the_frames_counts_before_a_limit_is_held(self) -> None:
        seen = Growth(0.00050, 0.00010)
        self.assertEqual(seen.within((0.0, 0.00035)), seen)
        held = seen.within((0.0, 0.00025))
        self.assertEqual((held.per_step, held.seen), (0.00025, 0.00050))
        # Held once, it is seen again with other limits.
        self.assertEqual(held.within((0.0, 0.00025)), held)
        self.assertEqual(held.within((0.0, 0.00030)).per_step, 0.00030)
        self.assertEqual(seen.within(None), seen)


if __name__ == "__main__":
    unittest.main()
