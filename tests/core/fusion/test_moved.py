"""What moves while a stack is shot is found, shown once, and said; what only goes out of focus is none of it."""

import unittest
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import Style as How
from amber_ladder.core.fusion import Survey, findings, merge, survey
from amber_ladder.core.fusion._moved import MotionWatch, Side
from benchmarks.stacks import Stack

Float = NDArray[np.float32]
SIZE = (480, 384)


@cache
def antenna() -> Stack:
    return Stack("antenna", 42, SIZE)


@cache
def surveyed(side: Side) -> Survey:
    return survey(antenna().frames, side=side, progress=no_progress)


def swept(found: Survey) -> NDArray[np.bool_]:
    """Where one scene differs from the other, within what all frames share."""
    return antenna().swept(found.reference) & _shared(found)


def _shared(found: Survey) -> NDArray[np.bool_]:
    x, y, width, height = found.crop
    shared = np.zeros(found.surface.index.shape, np.bool_)
    shared[y : y + height, x : x + width] = True
    return shared


class Antenna(unittest.TestCase):
    def test_the_one_movement_is_found_where_and_when_it_was(self) -> None:
        found = surveyed("auto")
        self.assertEqual([one.events for one in found.moved], [(12,)])
        where = swept(found)
        self.assertGreater(float((found.moved[0].mask & where).sum() / where.sum()), 0.97)
        self.assertLess(float(found.moved[0].mask.mean()), 0.2)

    def test_it_is_shown_from_the_side_that_is_asked_for_and_as_in_focus_else(self) -> None:
        truths = [stand.sharp_picture(antenna().truths[surveyed("auto").reference].matrix).astype(np.float64)
                  for stand in antenna().stands]  # fmt: skip
        for side, like in (("auto", 0), ("near", 0), ("far", 1)):
            for method in ("auto", "select", "pyramid", "blend"):
                with self.subTest(side=side, method=method):
                    found = surveyed(side)
                    merged = merge(antenna().frames, found, How(method), progress=no_progress)
                    there = swept(found)
                    off = [float(np.abs(merged.composite - truth)[there].mean()) for truth in truths]
                    self.assertLess(off[like], 0.75 * off[1 - like], off)

    def test_no_depth_is_told_where_the_movement_cut_it_off(self) -> None:
        found = surveyed("auto")
        one = found.moved[0]
        self.assertEqual((one.first, one.last), (0, 12))
        known = found.surface.known & one.mask
        self.assertTrue(0.1 < known.sum() / one.mask.sum() < 0.8)
        self.assertLess(float(found.surface.index[known].max()), 11.6)

    def test_it_is_said(self) -> None:
        found = surveyed("auto")
        share = [1 / len(found.used)] * len(found.used)
        told = [one for one in findings(found, share, antenna().frames.names) if one.kind == "moved"]
        self.assertEqual([one.frames for one in told], [(found.used[12], found.used[13])])
        self.assertIn("between f012 and f013", told[0].do)
        rows, columns = np.nonzero(found.moved[0].mask)
        self.assertTrue(told[0].x <= columns.min() and told[0].y <= rows.min())
        self.assertTrue(told[0].x + told[0].width > columns.max() and told[0].y + told[0].height > rows.max())

    def test_what_only_the_other_side_shows_in_focus_is_said_to_be_soft_and_which_frame_shows_it(self) -> None:
        found, names = surveyed("auto"), antenna().frames.names
        (moved,) = found.moved
        self.assertFalse((moved.soft & (moved.told | ~moved.mask)).any())
        share = [1 / len(found.used)] * len(found.used)
        (told,) = [one for one in findings(found, share, names) if one.kind == "soft"]
        self.assertEqual(told.frames, (found.used[moved.sharp_at],))
        self.assertGreater(moved.sharp_at, 12)
        self.assertIn(names[told.frames[0]], told.do)
        # The frame that is named shows the ground as it is, far better than any that is shown does.
        truth = np.asarray(cv2.cvtColor(antenna().stands[1].sharp_picture(
            antenna().truths[found.reference].matrix).astype(np.float32), cv2.COLOR_RGB2GRAY))  # fmt: skip
        fine = truth - cv2.GaussianBlur(truth, (0, 0), 3.0)

        def like(place: int) -> float:
            grey = antenna().frames.grey(found.used[place], 1) * 255.0
            laid = cv2.warpAffine(grey, found.matrices[place], grey.shape[::-1], flags=cv2.INTER_LINEAR)
            shown = laid - cv2.GaussianBlur(laid, (0, 0), 3.0)
            return float(np.corrcoef(shown[moved.soft], fine[moved.soft])[0, 1])

        best_shown = max(like(place) for place in range(moved.first, moved.last + 1))
        self.assertGreater(like(moved.sharp_at), best_shown + 0.2)

    def test_nothing_has_moved_on_clean_stacks_nor_where_rungs_are_missing(self) -> None:
        for kind, magnification in (("bristles", 5.0), ("flake", 5.0), ("leaf-missing", 5.0), ("flake", 3.0)):
            with self.subTest(kind=kind, magnification=magnification):
                clean = Stack(kind, 43, SIZE, magnification)
                self.assertEqual(survey(clean.frames, progress=no_progress).moved, ())


class Watch(unittest.TestCase):
    """A bright disc before texture, in a row of frames that each refocus a little."""

    def scene(self, at: int, blur: float) -> Float:
        texture = np.random.default_rng(5).random((200, 300), dtype=np.float32)
        picture = np.asarray(0.3 + 0.6 * (cv2.GaussianBlur(texture, (0, 0), 3.0) - 0.5), np.float32)
        cv2.circle(picture, (at, 100), 12, 0.9, -1)
        return np.asarray(cv2.GaussianBlur(picture, (0, 0), 0.5 + blur), np.float32)

    def events(self, frames: list[Float], z: list[float] | None = None) -> list[int]:
        watch = MotionWatch()
        for place, frame in enumerate(frames):
            watch.add(frame, z[place] if z else float(place))
        return [place for place, _ in watch.events]

    def test_a_jump_is_found_between_its_frames(self) -> None:
        frames = [self.scene(100 if i < 5 else 120, 0.2 * i) for i in range(10)]
        self.assertEqual(self.events(frames), [4])

    def test_refocusing_and_flickering_are_none(self) -> None:
        self.assertEqual(self.events([self.scene(100, 0.4 * i) for i in range(10)]), [])
        self.assertEqual(
            self.events([np.float32(0.9 + 0.1 * (i % 2)) * self.scene(100, 0.2 * i) for i in range(10)]), []
        )

    def test_what_is_there_in_one_frame_alone_has_not_moved(self) -> None:
        frames = [self.scene(120 if i == 5 else 100, 0.2 * i) for i in range(10)]
        self.assertEqual(self.events(frames), [])

    def test_a_place_where_focus_jumps_farther_is_none(self) -> None:
        z = [0.0, 1.0, 2.0, 3.0, 7.0, 8.0, 9.0, 10.0]
        self.assertEqual(self.events([self.scene(100, 0.25 * one) for one in z], z), [])


if __name__ == "__main__":
    unittest.main()
