"""Merging simulated stacks against the known truth."""

import unittest
from typing import ClassVar

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import METHODS, Method, Style, Survey, merge, survey
from amber_ladder.core.registration import compose, inverse
from amber_ladder.errors import BadInput, Stopped
from amber_ladder.simulated.wobble import Wobble
from tests.support.stacks import MemoryFrames, Shot, psnr_db, shot


def truth_matrix(stack: Shot, frame: int, reference: int) -> NDArray[np.float64]:
    return compose(inverse(stack.truths[reference].matrix), stack.truths[frame].matrix)


def window(crop: tuple[int, int, int, int]) -> tuple[slice, slice]:
    x, y, width, height = crop
    return slice(y, y + height), slice(x, x + width)


class MergeOfASimulatedStack(unittest.TestCase):
    stack: ClassVar[Shot]
    found: ClassVar[Survey]

    @classmethod
    def setUpClass(cls) -> None:
        cls.stack = shot("lacewing-eyes")
        cls.found = survey(cls.stack.frames, progress=no_progress)

    def test_the_reference_is_narrower_than_what_shows_most_and_lies_surely_against_it(self) -> None:
        scales = [np.linalg.det(t.matrix[:, :2]) for t in self.stack.truths]
        most = int(np.bincount(np.rint(self.found.surface.index[self.found.surface.known]).astype(int)).argmax())
        self.assertLess(scales[self.found.reference] / scales[self.found.used[most]], 0.998)
        self.assertLess(self.found.corner_px[most], 0.2)

    def test_the_order_is_told_from_how_the_picture_grows(self) -> None:
        growing = Shot("lacewing-eyes", Wobble(breathing_per_mm=0.05), 4, step_factor=2)
        forward = survey(growing.frames, progress=no_progress)
        backward = survey(MemoryFrames(growing.frames.pictures[::-1]), progress=no_progress)
        self.assertEqual((forward.near_first, backward.near_first), (True, False))
        self.assertIn("grows", forward.order_basis)

    def test_neighbours_are_registered_within_a_tenth_of_a_pixel(self) -> None:
        height, width = self.stack.frames.shape
        middle = np.array([width / 2, height / 2, 1.0])
        errors = []
        for i in range(1, len(self.found.used)):
            found = compose(inverse(self.found.matrices[i - 1]), self.found.matrices[i])
            errors.append(np.hypot(*((found - truth_matrix(self.stack, i, i - 1)) @ middle)))
        self.assertLess(float(np.median(errors)), 0.1)

    def test_over_the_whole_stack_errors_stay_below_two_pixels(self) -> None:
        height, width = self.stack.frames.shape
        corners = np.array([[0, 0, 1], [width, 0, 1], [0, height, 1], [width, height, 1]]).T
        for place, frame in enumerate(self.found.used):
            wanted = truth_matrix(self.stack, frame, self.found.reference)
            off = np.hypot(*((self.found.matrices[place] - wanted) @ corners)).max()
            self.assertLess(off, 2.0, self.stack.frames.names[frame])

    def test_composites_come_closer_to_the_truth_than_any_frame_by_6_db(self) -> None:
        here = window(self.found.crop)
        reference = self.stack.truths[self.found.reference].matrix
        truth = self.stack.bench.sharp_picture(reference)[here].astype(np.float64)
        height, width = self.stack.frames.shape
        singles = [
            psnr_db(
                cv2.warpAffine(picture, truth_matrix(self.stack, i, self.found.reference), (width, height))[
                    here
                ].astype(np.float64),
                truth,
            )
            for i, picture in enumerate(self.stack.frames.pictures)
        ]
        for method in METHODS:
            with self.subTest(method=method):
                merged = merge(self.stack.frames, self.found, Style(method), progress=no_progress)
                gained = psnr_db(merged.composite[here].astype(np.float64), truth) - max(singles)
                self.assertGreaterEqual(gained, 6.0)

    def test_depth_is_within_half_a_step_on_texture(self) -> None:
        merged = merge(self.stack.frames, self.found, Style("select"), progress=no_progress)
        here = window(self.found.crop)
        step = self.stack.ladder.step_um
        depth = merged.depth_frames[here] * step + self.stack.positions[self.found.used[0]]
        truth = self.stack.bench.sharp_depth_um(self.stack.truths[self.found.reference].matrix)[here]
        self.assertGreater(np.isfinite(depth).mean(), 0.5)
        self.assertLess(float(np.nanmedian(np.abs(depth - truth))), 0.5 * step)
        # What is said to be known is: hardly any of it is off by more than two steps.
        wrong = np.abs(depth - truth)[np.isfinite(depth)] > 2 * step
        self.assertLess(float(wrong.mean()), 0.05)

    def test_brightness_is_evened_out(self) -> None:
        flickering = Shot("lacewing-eyes", Wobble(flicker=0.1), 6)
        found = survey(flickering.frames, progress=no_progress)
        true_gains = np.array([t.gain for t in flickering.truths])
        # Gains act on light; frames are encoded with an exponent of about 1/2.2.
        evened = true_gains ** (1 / 2.2) * np.array(found.gains)
        self.assertLess(float(evened.std()), 0.5 * float((true_gains ** (1 / 2.2)).std()))

    def test_shares_add_up_to_the_whole(self) -> None:
        for method in METHODS:
            merged = merge(self.stack.frames, self.found, Style(method), progress=no_progress)
            self.assertAlmostEqual(sum(merged.share), 1.0, places=6)

    def test_composite_holds_no_tone_that_no_frame_has(self) -> None:
        merged = merge(self.stack.frames, self.found, Style("pyramid"), progress=no_progress)
        largest = max(int(p.max()) for p in self.stack.frames.pictures)
        self.assertLessEqual(int(merged.composite.max()), int(np.ceil(largest * max(self.found.gains))))

    def test_frames_run_the_other_way_give_the_same_depth(self) -> None:
        turned = MemoryFrames(self.stack.frames.pictures[::-1])
        found = survey(turned, order="far-first", progress=no_progress)
        forward = merge(self.stack.frames, self.found, Style("select"), progress=no_progress).depth_frames
        backward = merge(turned, found, Style("select"), progress=no_progress).depth_frames
        self.assertLess(float(np.nanmedian(np.abs(forward - backward))), 0.3)

    def test_missing_rungs_are_found_as_a_gap(self) -> None:
        self.assertEqual(self.found.gaps, ())
        pictures = self.stack.frames.pictures
        holed = MemoryFrames([*pictures[:9], *pictures[12:]])
        gaps = survey(holed, progress=no_progress).gaps
        self.assertIn((8, 9), gaps)
        self.assertLessEqual(len(gaps), 2)

    def test_where_positions_are_known_they_alone_tell_of_gaps(self) -> None:
        positions, pictures = self.stack.positions, self.stack.frames.pictures
        whole = survey(self.stack.frames, positions_um=positions, progress=no_progress)
        self.assertEqual(whole.gaps, ())
        # Two rungs are missing, and one after the last thing that is sharp: nothing was lost there.
        kept = [i for i in range(len(pictures)) if i not in (9, 10, len(pictures) - 2)]
        holed = MemoryFrames([pictures[i] for i in kept])
        found = survey(holed, positions_um=[positions[i] for i in kept], progress=no_progress)
        self.assertEqual(found.gaps, ((8, 9),))

    def test_the_last_thing_in_focus_is_no_gap(self) -> None:
        for specimen in ("fern-sporangia", "springtail"):
            with self.subTest(specimen):
                self.assertEqual(survey(shot(specimen, 5).frames, progress=no_progress).gaps, ())

    def test_texture_that_fades_faster_deep_down_is_no_gap_and_a_gap_there_is_one(self) -> None:
        pictures = list(shot("lacewing-eyes", 6).frames.pictures)
        self.assertEqual(survey(MemoryFrames(pictures), progress=no_progress).gaps, ())
        holed = MemoryFrames([*pictures[:14], *pictures[17:]])
        self.assertEqual(survey(holed, progress=no_progress).gaps, ((13, 14),))

    def test_a_foreign_frame_is_left_out_and_named(self) -> None:
        stranger = shot("wulfenite", 5).frames.pictures[10]
        pictures = list(self.stack.frames.pictures)
        pictures.insert(7, stranger)
        found = survey(MemoryFrames(pictures), progress=no_progress)
        self.assertEqual([one.name for one in found.excluded], ["f007"])

    def test_a_foreign_first_frame_does_not_shut_out_the_rest(self) -> None:
        pictures = [shot("wulfenite", 5).frames.pictures[10], *self.stack.frames.pictures[4:12]]
        found = survey(MemoryFrames(pictures), progress=no_progress)
        self.assertEqual(found.used, tuple(range(1, 9)))

    def test_16_bit_frames_give_16_bits(self) -> None:
        deep = MemoryFrames([p.astype(np.uint16) * 257 for p in self.stack.frames.pictures[6:12]])
        found = survey(deep, progress=no_progress)
        plain = MemoryFrames(self.stack.frames.pictures[6:12])
        for method in METHODS:
            wide = merge(deep, found, Style(method), progress=no_progress).composite
            narrow = merge(plain, found, Style(method), progress=no_progress).composite
            self.assertEqual(wide.dtype, np.uint16)
            self.assertLess(float(np.abs(wide / 257 - narrow).mean()), 0.6)

    def test_the_smallest_frames_that_are_taken_are_merged_too(self) -> None:
        height, width = self.stack.frames.shape
        here = np.s_[height // 2 : height // 2 + 64, width // 2 : width // 2 + 64]
        small = MemoryFrames([np.ascontiguousarray(picture[here]) for picture in self.stack.frames.pictures])
        found = survey(small, progress=no_progress)
        styles = [Style(method) for method in METHODS] + [Style("pyramid", window_px=px) for px in (0.5, 50.0)]
        for style in styles:
            with self.subTest(style):
                merged = merge(small, found, style, progress=no_progress)
                self.assertEqual(merged.composite.shape, (64, 64, 3))
                self.assertAlmostEqual(sum(merged.share), 1.0)

    def test_stopping_ends_the_work(self) -> None:
        def stop(phase: str, done: int, total: int) -> None:
            if done == 3:
                raise Stopped("enough")

        method: Method = "pyramid"
        with self.assertRaises(Stopped):
            survey(self.stack.frames, progress=stop)
        with self.assertRaises(Stopped):
            merge(self.stack.frames, self.found, Style(method), progress=stop)

    def test_one_frame_is_no_stack(self) -> None:
        with self.assertRaises(BadInput):
            survey(MemoryFrames(self.stack.frames.pictures[:1]), progress=no_progress)


if __name__ == "__main__":
    unittest.main()
