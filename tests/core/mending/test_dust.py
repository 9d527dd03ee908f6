"""Dust at known places of simulated sensors: found, replaced, and none invented."""

import unittest
from functools import cache

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb, encode_srgb
from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import Style, Survey, merge, survey
from amber_ladder.core.mending import Cleaned, Placed, Spot, chosen_frames, cleaned, find_spots, nearest_known
from amber_ladder.simulated.wobble import Wobble
from tests.support.stacks import Shot, shot

SEED = 4
DUSTY = ("moss-capsule", "wulfenite")
CLEAN = ("moss-capsule", "lacewing-eyes", "fern-sporangia")
HEIGHT, WIDTH = 512, 768


@cache
def dusty(specimen: str) -> tuple[Shot, Survey, list[Spot]]:
    return _looked_at(Shot(specimen, Wobble(dust=14), SEED))


def _looked_at(stack: Shot) -> tuple[Shot, Survey, list[Spot]]:
    found = survey(stack.frames, progress=no_progress)
    frames = chosen_frames(len(stack.frames.pictures))
    spots = find_spots(lambda at: decode_srgb(stack.frames.grey(at, 1)), frames, found.blur_between_px)
    return stack, found, spots


def true_spots() -> list[tuple[int, int, int]]:
    """Where the simulated sensor's dust lies: x, y, radius. The same chances as the sensor takes."""
    random = np.random.default_rng([SEED, 5])
    random.uniform(size=0)
    told = []
    for _ in range(14):
        x, y = int(random.integers(0, WIDTH)), int(random.integers(0, HEIGHT))
        radius = max(2, round(HEIGHT * random.uniform(0.002, 0.008)))
        random.uniform(0.45, 0.75)
        told.append((x, y, radius))
    return told


class Found(unittest.TestCase):
    def test_nearly_all_spots_are_found_where_they_are_and_no_other(self) -> None:
        right = 0
        for specimen in DUSTY:
            spots = dusty(specimen)[2]
            for x, y, radius in true_spots():
                right += any(np.hypot(one.x - x, one.y - y) < radius + 2 for one in spots)
            strange = [
                (one.x, one.y) for one in spots
                if not any(np.hypot(one.x - x, one.y - y) < radius + 2 for x, y, radius in true_spots())
            ]  # fmt: skip
            self.assertEqual(strange, [], specimen)
        self.assertGreaterEqual(right / (14 * len(DUSTY)), 0.95)

    def test_there_is_none_on_a_clean_sensor(self) -> None:
        for specimen in CLEAN:
            with self.subTest(specimen):
                self.assertEqual([(one.x, one.y) for one in _looked_at(shot(specimen))[2]], [])

    def test_nothing_is_told_where_focus_hardly_changed(self) -> None:
        frames = dusty("wulfenite")[0].frames
        light = [decode_srgb(frames.grey(at, 1)) for at in range(6)]
        self.assertEqual(find_spots(lambda at: light[at], range(6), 2.0), [])
        self.assertEqual(find_spots(lambda at: light[at], range(4), 50.0), [])


class Replaced(unittest.TestCase):
    def test_what_it_took_is_made_good(self) -> None:
        before: list[float] = []
        after: list[float] = []
        beside: list[float] = []
        for specimen in DUSTY:
            stack, found, spots = dusty(specimen)
            merged = merge(stack.frames, found, Style("auto"), progress=no_progress).composite
            done = _done(stack, found, spots, merged)
            sharp = stack.bench.sharp_picture(stack.truths[found.reference].matrix).astype(np.float64)
            for one in done:
                part = np.s_[one.box.top : one.box.bottom, one.box.left : one.box.right]
                share = (one.share / 255.0)[..., None]
                mended = merged[part] * (1 - share) + one.pixels * share
                core, rim = one.share > 128, one.share == 0
                truth, own = sharp[part], merged[part].astype(np.float64)
                gain = (own * truth)[rim].sum() / np.square(own)[rim].sum()
                for errors, shown, where in ((before, own, core), (after, mended, core), (beside, own, rim)):
                    errors.append(float(np.abs(gain * shown - truth)[where].mean()))
        self.assertEqual(len(before), sum(len(dusty(one)[2]) for one in DUSTY))
        self.assertLess(float(np.mean(after)), 0.5 * float(np.mean(before)))
        self.assertLess(float(np.mean(after)), 1.3 * float(np.mean(beside)))

    def test_spots_can_be_kept_and_only_trails_are_touched(self) -> None:
        stack, found, spots = dusty("wulfenite")
        merged = merge(stack.frames, found, Style("select"), progress=no_progress).composite
        done = _done(stack, found, spots, merged, keep=(0, 3))
        self.assertEqual({one.spot for one in done}, set(range(len(spots))) - {0, 3})
        self.assertLess(sum(int((one.share > 0).sum()) for one in done) / merged[..., 0].size, 0.02)

    def test_a_frame_that_moved_away_from_the_dust_is_not_brightened(self) -> None:
        """A spot in two frames that lie 40 px apart: each shows what the other hides."""
        random = np.random.default_rng(3)
        whole = random.integers(80, 180, (120, 240, 3), np.uint8)
        spot = Spot(60.0, 60.0, 6.0, np.where(np.hypot(*np.mgrid[-14:15, -14:15]) < 8, 0.5, 1.0).astype(np.float32))
        placed = [Placed(np.array([[1.0, 0.0, x], [0.0, 1.0, 0.0]]), 1.0) for x in (0.0, 40.0)]
        frames = [whole[:, :200].copy(), np.pad(whole[:, 40:], ((0, 0), (0, 0), (0, 0)))]
        for frame in frames:
            half = decode_srgb(frame[52:69, 52:69].astype(np.float32) / np.float32(255)) / np.float32(2)
            frame[52:69, 52:69] = np.rint(255 * encode_srgb(half))
        index = np.zeros((120, 200), np.float32)
        merged = frames[0].copy()
        (first, *_) = cleaned([spot], placed, index, merged, lambda at: frames[at])
        self.assertLess(first.brightened, 0.2)
        core = np.s_[55 - first.box.top : 66 - first.box.top, 55 - first.box.left : 66 - first.box.left]
        self.assertLessEqual(int(np.abs(first.pixels[core].astype(int) - whole[55:66, 55:66]).max()), 2)


def _done(
    stack: Shot, found: Survey, spots: list[Spot], merged: NDArray[np.uint8], keep: tuple[int, ...] = ()
) -> list[Cleaned]:
    placed = [Placed(matrix, gain) for matrix, gain in zip(found.matrices, found.gains, strict=True)]
    index = np.where(found.surface.known, found.surface.index, np.nan).astype(np.float32)
    pictures = [stack.frames.pictures[at] for at in found.used]
    return cleaned(spots, placed, nearest_known(index), merged, lambda at: pictures[at], keep=keep)


if __name__ == "__main__":
    unittest.main()
