"""Ways to merge, and what is said of a merge, against simulated stacks with known truth."""

import unittest
from collections.abc import Sequence
from dataclasses import replace
from functools import cache
from unittest.mock import patch

import cv2
import numpy as np

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import Finding, Merged, Style, Survey, findings, merge, survey
from amber_ladder.core.fusion._pyramid import _asked_in
from amber_ladder.core.fusion._strips import tiles_of
from amber_ladder.core.registration import warped_picture
from benchmarks.stacks import Stack
from tests.support.stacks import MemoryFrames, psnr_db

SIZE = (640, 512)


@cache
def surveyed(kind: str, seed: int) -> tuple[Stack, Survey]:
    stack = Stack(kind, seed, SIZE)
    return stack, survey(stack.frames, progress=no_progress)


def closeness_db(kind: str, seed: int, style: Style) -> float:
    stack, found = surveyed(kind, seed)
    x, y, width, height = found.crop
    here = np.s_[y + 8 : y + height - 8, x + 8 : x + width - 8]
    truth = stack.stand.sharp_picture(stack.truths[found.reference].matrix)[here].astype(np.float64)
    merged = merge(stack.frames, found, style, progress=no_progress)
    return psnr_db(merged.composite[here].astype(np.float64), truth)


class Auto(unittest.TestCase):
    def test_it_is_as_good_as_the_best_way_on_every_kind(self) -> None:
        for kind in ("crystal", "flake", "bristles", "leaf"):
            with self.subTest(kind):
                best = max(closeness_db(kind, 41, Style(way)) for way in ("blend", "select", "pyramid"))
                self.assertGreater(closeness_db(kind, 41, Style("auto")), best - 0.3)

    def test_glints_on_a_steady_surface_are_no_edges(self) -> None:
        """They cost up to a third of a decibel, and a pyramid of the whole stack."""
        for seed in (11, 41):
            stack, found = surveyed("flake", seed)
            picked, auto = (merge(stack.frames, found, Style(way), progress=no_progress) for way in ("select", "auto"))
            self.assertEqual(auto.gave, {"select": 1.0, "pyramid": 0.0})
            np.testing.assert_array_equal(auto.composite, picked.composite)

    def test_it_says_what_it_used(self) -> None:
        for kind, least, most in (("bristles", 0.1, 0.6), ("crystal", 0.1, 0.6)):
            stack, found = surveyed(kind, 41)
            gave = merge(stack.frames, found, Style("auto"), progress=no_progress).gave
            self.assertAlmostEqual(sum(gave.values()), 1.0)
            self.assertTrue(least <= gave["pyramid"] <= most, (kind, gave))

    def test_large_frames_are_worked_out_one_way_after_the_other_to_the_same_picture(self) -> None:
        stack, found = surveyed("crystal", 41)
        at_once = merge(stack.frames, found, Style("auto"), progress=no_progress)
        done: list[tuple[int, int]] = []
        with patch("amber_ladder.core.frames._source._LARGE_BYTES", 0):
            by_turns = merge(stack.frames, found, Style("auto"), progress=lambda _, *steps: done.append(steps))
        np.testing.assert_array_equal(by_turns.composite, at_once.composite)
        self.assertEqual((by_turns.share, by_turns.gave), (at_once.share, at_once.gave))
        self.assertEqual(done, sorted(done))
        self.assertEqual(done[-1], (2 * len(found.used),) * 2)


class Brightened(unittest.TestCase):
    def test_what_is_brightened_beyond_white_is_white(self) -> None:
        stack, found = surveyed("leaf", 41)
        usual = merge(stack.frames, found, Style("select"), progress=no_progress).composite.astype(int)
        bright = replace(found, gains=tuple(3.0 * gain for gain in found.gains))
        again = merge(stack.frames, bright, Style("select"), progress=no_progress).composite
        off = np.abs(np.minimum(3 * usual, 255) - again)
        self.assertGreater(int(np.count_nonzero(usual > 171)), 20)
        self.assertGreater(int(again[usual > 171].min()), 200)
        self.assertLess(float(off.mean()), 1.0)


class HarmfulFrames(unittest.TestCase):
    def test_they_leave_with_the_reason_and_the_picture_is_as_good_as_without_them(self) -> None:
        _, found = surveyed("leaf-faults", 41)
        told = {one.name: one.reason for one in found.excluded}
        self.assertEqual(sorted(told), ["f005", "f011", "f015", "f019"])
        self.assertRegex(told["f005"], "stops darker than the frames beside it")
        self.assertEqual(told["f011"], "is the same picture as f010")
        self.assertRegex(told["f015"], "lit in part only")
        self.assertRegex(told["f019"], "shaken")
        # Each was a step but the copy, so that what lies beyond keeps its depth.
        self.assertEqual(found.places, tuple(i - (i > 11) for i in found.used))
        self.assertGreater(
            closeness_db("leaf-faults", 41, Style("auto")), closeness_db("leaf", 41, Style("auto")) - 2.0
        )

    def test_a_dark_first_frame_leaves_and_the_second_is_the_first(self) -> None:
        pictures = surveyed("flake", 41)[0].frames.pictures
        frames = MemoryFrames([pictures[9] // 16, *pictures[10:16]])
        found = survey(frames, progress=no_progress)
        self.assertEqual((found.used, [one.name for one in found.excluded]), ((1, 2, 3, 4, 5, 6), ["f000"]))


class PyramidSettings(unittest.TestCase):
    def test_calm_takes_noise_away(self) -> None:
        plain, calm = (closeness_db("bristles-noisy", 42, Style("pyramid", calm=calm)) for calm in (0.0, 1.0))
        self.assertGreater(calm, plain + 0.15)

    def test_a_narrow_window_keeps_bristles_that_a_wide_one_loses(self) -> None:
        narrow, wide = (closeness_db("bristles", 41, Style("pyramid", window_px=window)) for window in (1.2, 5.0))
        self.assertGreater(narrow, wide + 0.3)

    def test_frames_that_show_nothing_sharp_in_a_tile_are_not_asked_there(self) -> None:
        stack, found = surveyed("dome", 41)
        tiles = tiles_of(stack.frames.shape, 8, None)
        first, last = _asked_in(tiles, stack.frames.shape, found)
        self.assertLess(float((last - first).mean()), 0.5 * len(found.used))
        unknown = replace(found, surface=replace(found.surface, known=np.zeros_like(found.surface.known)))
        self.assertTrue(np.isinf(_asked_in(tiles, stack.frames.shape, unknown)).all())
        some, all_of_them = (
            merge(stack.frames, one, Style("pyramid"), progress=no_progress).composite.astype(int)
            for one in (found, unknown)
        )
        # Faint places may differ by a tone or two; the picture is as near to the truth.
        self.assertLess(float((some != all_of_them).mean()), 0.008)
        self.assertLessEqual(int(np.abs(some - all_of_them).max()), 8)
        near, nearest = (self.near_truth(stack, found, one) for one in (some, all_of_them))
        self.assertGreater(near, nearest - 0.03)

    def near_truth(self, stack: Stack, found: Survey, picture: np.ndarray) -> float:
        x, y, width, height = found.crop
        here = np.s_[y + 8 : y + height - 8, x + 8 : x + width - 8]
        truth = stack.stand.sharp_picture(stack.truths[found.reference].matrix)
        return psnr_db(picture[here].astype(np.float64), truth[here].astype(np.float64))


class SharpRange(unittest.TestCase):
    def test_beyond_its_end_the_picture_is_that_of_the_last_frame_in_it(self) -> None:
        stack, found = surveyed("crystal", 41)
        last = 14
        whole, part = (merge(stack.frames, found, Style("select", sharp=sharp), progress=no_progress)
                       for sharp in (None, (0, last)))  # fmt: skip
        beyond = cv2.erode((found.surface.index > last + 2).astype(np.uint8), np.ones((15, 15), np.uint8)) > 0
        self.assertGreater(int(beyond.sum()), 5000)
        end = warped_picture(stack.frames.pictures[found.used[last]], found.matrices[last], found.gains[last], 255)
        self.assertLess(float(np.abs(part.composite[beyond].astype(float) - end[beyond]).mean()), 1.0)
        within = cv2.erode((found.surface.index < last - 1).astype(np.uint8), np.ones((15, 15), np.uint8)) > 0
        within &= np.isfinite(whole.depth_frames)  # not at the border, where frames don't reach
        np.testing.assert_array_equal(part.composite[within], whole.composite[within])
        self.assertEqual(sum(part.share[last + 1 :]), 0.0)
        self.assertAlmostEqual(sum(part.share), 1.0)


class DepthUncertainty(unittest.TestCase):
    def test_nineteen_of_twenty_errors_lie_within_twice_it_whatever_the_kind(self) -> None:
        # On the flake nearly all depths are equally sure.
        for kind, times in (("flake", 1.4), ("crystal", 1.6), ("bristles-noisy", 1.6)):
            with self.subTest(kind):
                stack, found = surveyed(kind, 42)
                merged = merge(stack.frames, found, Style("select"), progress=no_progress)
                off, u = self.errors(stack, found, merged)
                self.assertTrue(0.6 < float((off < u).mean()) < 0.85, float((off < u).mean()))
                self.assertTrue(0.9 < float((off < 2 * u).mean()) < 0.98, float((off < 2 * u).mean()))
                # It tells sure pixels from unsure ones: the surer half is off by less.
                surer = u < np.median(u)
                self.assertLess(times * float(np.quantile(off[surer], 0.9)), float(np.quantile(off[~surer], 0.9)))

    def errors(self, stack: Stack, found: Survey, merged: Merged) -> tuple[np.ndarray, np.ndarray]:
        truth = stack.stand.sharp_depth_um(stack.truths[found.reference].matrix)
        focus = np.array([stack.truths[frame].focus_um for frame in found.used])
        known = np.isfinite(merged.depth_frames)
        np.testing.assert_array_equal(known, np.isfinite(merged.depth_u_frames))
        off = np.abs(np.interp(merged.depth_frames, np.arange(len(focus)), focus) - truth) / stack.step_um
        return off[known], merged.depth_u_frames[known]


class Findings(unittest.TestCase):
    def told(self, pictures: Sequence[np.ndarray]) -> list[Finding]:
        frames = MemoryFrames(list(pictures))
        found = survey(frames, progress=no_progress)
        share = merge(frames, found, Style("select"), progress=no_progress).share
        return findings(found, share, frames.names)

    def places(self, pictures: Sequence[np.ndarray]) -> list[Finding]:
        return [one for one in self.told(pictures) if one.kind != "alignment"]

    def test_a_clean_stack_has_none(self) -> None:
        for kind, seed in (("dome", 41), ("flake", 41), ("leaf", 41), ("crystal", 42)):
            with self.subTest(kind):
                self.assertEqual(self.told(surveyed(kind, seed)[0].frames.pictures), [])

    def test_a_frame_is_doubtful_for_how_surely_it_lies_where_it_is_in_focus(self) -> None:
        stack, found = surveyed("leaf", 41)
        share = merge(stack.frames, found, Style("select"), progress=no_progress).share
        most, count = int(np.argmax(share)), len(found.used)

        def told(corner_px: float, shown_px: float) -> list[tuple[str, tuple[int, ...]]]:
            shown = [0.1] * count
            shown[most] = shown_px
            unsure = replace(found, corner_px=(corner_px,) * count, shown_px=tuple(shown))
            return [(one.kind, one.frames) for one in findings(unsure, share, stack.frames.names)]

        self.assertEqual(told(3.0, 0.4), [])
        self.assertEqual(told(3.0, 0.6), [("alignment", (found.used[most],))])

    def test_missing_rungs_and_ends_that_were_not_reached_are_named_with_what_to_do(self) -> None:
        pictures = surveyed("crystal", 41)[0].frames.pictures
        (gap,) = self.places([*pictures[:11], *pictures[13:]])
        self.assertEqual((gap.kind, gap.frames), ("gap", (10, 11)))
        self.assertIn("shoot the rungs between f010 and f011", gap.do)
        (near,) = self.places(pictures[9:])
        self.assertEqual((near.kind, near.frames), ("end", (0,)))
        self.assertIn("near end was not reached", near.do)
        (far,) = self.places(pictures[:17])
        self.assertEqual((far.kind, far.frames), ("end", (16,)))
        self.assertIn("far end was not reached", far.do)
        depth = surveyed("crystal", 41)[0].stand.sharp_depth_um(surveyed("crystal", 41)[0].truths[0].matrix)
        place = np.median(depth[far.y : far.y + far.height, far.x : far.x + far.width])
        self.assertGreater(float(place), float(np.median(depth)))


if __name__ == "__main__":
    unittest.main()
