"""Dust on the sensor, points that glow and grain are told from what lies under the lens."""

import unittest
from functools import cache

import cv2
import numpy as np

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import Finding, Style, Survey, findings, merge, survey
from amber_ladder.core.light import SpeckWatch, sight
from amber_ladder.simulated.wobble import Wobble
from tests.support.stacks import MemoryFrames, Shot, shot

SPOTS = ((150, 160, 5), (420, 300, 7), (300, 110, 4))  # x, y and radius in px of a frame
DOTS = ((200, 220), (390, 350), (500, 130))


def told(frames: MemoryFrames) -> tuple[Survey, list[Finding]]:
    found = survey(frames, progress=no_progress)
    return found, findings(found, [1.0 / len(found.used)] * len(found.used), frames.names)


@cache
def dirty() -> MemoryFrames:
    """The moss, shot with three spots of dust that take a third of the light, and three points that glow."""
    shade = np.ones((512, 768), np.float32)
    for x, y, radius in SPOTS:
        cv2.circle(shade, (x, y), radius, 0.67, -1)
    shade = np.asarray(cv2.GaussianBlur(shade, (0, 0), 1.0) ** (1 / 2.2), np.float32)
    pictures = []
    for picture in shot("moss-capsule").frames.pictures:
        seen = np.rint(picture * shade[..., None]).astype(np.uint8)
        for x, y in DOTS:
            seen[y, x] = np.maximum(seen[y, x], (255, 230, 230))
        pictures.append(seen)
    return MemoryFrames(pictures)


class Sensor(unittest.TestCase):
    def test_clean_stacks_have_none(self) -> None:
        for specimen in ("moss-capsule", "wulfenite"):
            found, said = told(shot(specimen).frames)
            self.assertEqual(found.specks, ())
            self.assertEqual([one.kind for one in said if one.kind in ("dust", "streak", "noise")], [])
            self.assertLess(255 * found.grain, 1.0)

    def test_each_spot_is_found_where_it_is_and_where_it_shows(self) -> None:
        found, said = told(dirty())
        dust = [one for one in found.specks if one.kind == "dust"]
        self.assertEqual(len(dust), len(SPOTS))
        for x, y, radius in SPOTS:
            (near,) = (one for one in dust if np.hypot(one.x - x, one.y - y) < 3.0)
            self.assertLess(abs(near.radius_px - radius), 3.5)
        shown = [one for one in said if one.kind == "dust"]
        self.assertGreater(len(shown), 0)
        picture = merge(dirty(), found, Style("select"), progress=no_progress).composite.astype(np.float64)
        clean_found = survey(shot("moss-capsule").frames, progress=no_progress)
        clean = merge(shot("moss-capsule").frames, clean_found, Style("select"), progress=no_progress).composite
        darker = np.asarray(clean, np.float64).mean(axis=2) - picture.mean(axis=2)
        for one in shown:
            there = darker[one.y : one.y + one.height, one.x : one.x + one.width]
            self.assertGreater(float(np.quantile(there, 0.9)), 5.0)
            self.assertGreater(len(one.frames), 0)
            self.assertIn("dust on the sensor, at", one.do)

    def test_points_that_glow_are_told_together(self) -> None:
        found, said = told(dirty())
        glow = sorted((round(one.x), round(one.y)) for one in found.specks if one.kind == "glow")
        self.assertEqual(glow, sorted(DOTS))
        (streak,) = (one for one in said if one.kind == "streak")
        self.assertIn("3 points of the sensor that glow", streak.do)

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
        self.assertEqual(len([one for one in watch.specks(blur_px=60.0) if one.kind == "dust"]), len(SPOTS))
        self.assertEqual([one for one in watch.specks(blur_px=3.0) if one.kind == "dust"], [])


if __name__ == "__main__":
    unittest.main()
