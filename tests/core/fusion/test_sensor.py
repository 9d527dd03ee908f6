"""Dust on the sensor, points that glow and grain are told from what lies under the lens."""

import unittest
from functools import cache

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import Finding, Survey, findings, survey
from amber_ladder.core.light import SpeckWatch, sight
from amber_ladder.core.optics import Sensor
from amber_ladder.simulated.sensor import SimulatedSensor
from amber_ladder.simulated.wobble import Wobble
from tests.support.stacks import MemoryFrames, Shot, shot

DIRTY = Wobble(dust=14, hot_pixels=60)


def told(frames: MemoryFrames) -> tuple[Survey, list[Finding]]:
    found = survey(frames, progress=no_progress)
    return found, findings(found, [1.0 / len(found.used)] * len(found.used), frames.names)


@cache
def dirty() -> MemoryFrames:
    """The moss, shot with dust on the sensor and points that glow."""
    return Shot("moss-capsule", DIRTY, 3).frames


def shade() -> NDArray[np.float32]:
    """How much of the light the dust on that sensor lets through (H, W)."""
    seen = SimulatedSensor(Sensor(768, 512, 5.0), DIRTY, 3)._shade
    assert seen is not None
    return seen


class OfTheSensor(unittest.TestCase):
    def test_clean_stacks_have_none(self) -> None:
        for specimen in ("moss-capsule",):
            found, said = told(shot(specimen).frames)
            self.assertEqual(found.specks, ())
            self.assertEqual([one.kind for one in said if one.kind in ("dust", "streak", "noise")], [])
            self.assertLess(255 * found.grain, 1.0)

    def test_spots_are_found_where_there_is_dust_and_said_where_they_show(self) -> None:
        found, said = told(dirty())
        dust = [one for one in found.specks if one.kind == "dust"]
        self.assertGreater(len(dust), 6)
        for one in dust:
            self.assertLess(float(shade()[round(one.y), round(one.x)]), 0.85)
            self.assertLess(one.radius_px, 6.0)
        shown = [one for one in said if one.kind == "dust"]
        self.assertGreater(len(shown), 0)
        x, y, width, height = found.crop
        for place in shown:
            self.assertIn("dust on the sensor, at", place.do)
            self.assertGreater(len(place.frames), 0)
            self.assertTrue(x <= place.x and place.x + place.width <= x + width)
            self.assertTrue(y <= place.y and place.y + place.height <= y + height)
            self.assertLess(max(place.width, place.height), 60)

    def test_points_that_glow_are_told_together(self) -> None:
        found, said = told(dirty())
        glow = [one for one in found.specks if one.kind == "glow"]
        self.assertGreater(len(glow), 55)
        (streak,) = (one for one in said if one.kind == "streak")
        self.assertIn(f"{len(glow)} points of the sensor that glow", streak.do)

    def test_grain_is_measured_and_said_from_where_it_is_seen(self) -> None:
        grainy = Shot("moss-capsule", Wobble(full_well=500, read_noise=15), 3)
        found, said = told(grainy.frames)
        (one,) = (one for one in said if one.kind == "noise")
        self.assertRegex(one.do, rf"each frame has a grain of {255 * found.grain:.1f} of 255")
        random = np.random.default_rng(4)
        for factor in (1, 2):
            # Of frames twice as large, whose pixels were averaged by twos.
            watch = SpeckWatch(factor)
            for _ in range(6):
                grey = np.float32(0.5) + random.normal(0, 0.02 / factor, (400, 512)).astype(np.float32)
                watch.add(sight(grey, factor))
            self.assertAlmostEqual(watch.grain(), 0.02, delta=0.003)

    def test_detail_that_never_leaves_focus_is_not_taken_for_dust(self) -> None:
        watch = SpeckWatch(1)
        for picture in dirty().pictures[::4]:
            watch.add(sight(np.asarray(picture[..., 1] / np.float32(255), np.float32), 1))
        self.assertGreater(len([one for one in watch.specks(blur_px=60.0) if one.kind == "dust"]), 6)
        self.assertEqual([one for one in watch.specks(blur_px=3.0) if one.kind == "dust"], [])


if __name__ == "__main__":
    unittest.main()
