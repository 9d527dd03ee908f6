"""Ends and edges in focus, on stacks whose depth is known."""

import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import EndsFinder, in_focus
from tests.support.stacks import shot


def grey(picture: NDArray[np.generic], width: int = 512) -> NDArray[np.float32]:
    small = cv2.resize(np.asarray(picture, np.uint8), (width, round(width * 2 / 3)), interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.cvtColor(small, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255)


class Ends(unittest.TestCase):
    def test_they_hold_the_depth_within_a_sharp_depth(self) -> None:
        for specimen in ("moss-capsule", "lacewing-eyes", "wulfenite"):
            one, finder = shot(specimen), EndsFinder()
            for position, frame in zip(one.positions, one.frames.pictures, strict=True):
                finder.add(position, grey(frame))
            sharp_um = one.ladder.sharp_depth_stage_um
            found = finder.ends(sharp_um)
            assert found is not None
            depth = one.bench.sharp_depth_um(one.truths[0].matrix)
            near, far = np.percentile(depth, [0.2, 99.8])
            # An end too far out costs a rung, one too far in the specimen: they may err outward more than inward.
            self.assertTrue(-1.3 * sharp_um <= found.near_um - near <= 0.6 * sharp_um, (specimen, found, near))
            self.assertTrue(-0.6 * sharp_um <= found.far_um - far <= 1.8 * sharp_um, (specimen, found, far))

    def test_a_sweep_that_ends_too_early_says_so(self) -> None:
        one, finder = shot("moss-capsule"), EndsFinder()
        for position, frame in list(zip(one.positions, one.frames.pictures, strict=True))[:12]:
            finder.add(position, grey(frame))
        found = finder.ends(one.ladder.sharp_depth_stage_um)
        assert found is not None
        self.assertFalse(found.passed_far)

    def test_noise_alone_has_no_ends(self) -> None:
        random, finder = np.random.default_rng(1), EndsFinder()
        for i in range(20):
            finder.add(float(10 * i), np.asarray(0.5 + random.normal(0, 0.01, (340, 512)), np.float32))
        self.assertIsNone(finder.ends(30.0))


class InFocus(unittest.TestCase):
    def test_the_edges_marked_lie_where_focus_is(self) -> None:
        one = shot("moss-capsule")
        hits = []
        for i in range(4, len(one.positions) - 6, 3):
            marked = in_focus(grey(one.frames.pictures[i], 768)).edges
            depth = one.bench.sharp_depth_um(one.truths[i].matrix)
            if marked.sum() > 300:
                away = np.abs(depth[marked] - one.truths[i].focus_um)
                hits.append(float((away < 2.5 * one.ladder.sharp_depth_um).mean()))
        self.assertGreater(len(hits), 3)
        self.assertGreater(float(np.median(hits)), 0.9)

    def test_nothing_is_marked_where_nothing_is_sharp(self) -> None:
        blurred = cv2.GaussianBlur(grey(shot("moss-capsule").frames.pictures[8], 768), (0, 0), 9.0)
        noisy = blurred + np.random.default_rng(2).normal(0, 0.006, blurred.shape).astype(np.float32)  # type: ignore[attr-defined]
        self.assertLess(float(in_focus(noisy).edges.mean()), 0.001)

    def test_the_reading_peaks_in_focus(self) -> None:
        one = shot("lacewing-eyes")
        readings = [in_focus(grey(frame)).sharpness for frame in one.frames.pictures]
        self.assertLess(readings[0], 0.4 * max(readings))
        self.assertLess(readings[-1], 0.4 * max(readings))


if __name__ == "__main__":
    unittest.main()
