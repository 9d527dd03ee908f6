"""Rulings of known pitch: within 0.2 %, or not found."""

import unittest

import cv2
import numpy as np

from amber_ladder.core.measuring import find_ruling
from amber_ladder.errors import BadInput
from tests.support.rulings import ruled_slide, short_ruling
from tests.support.stacks import shot


class FindRuling(unittest.TestCase):
    def assert_pitch(self, picture: np.ndarray, pitch_px: float, relative: float = 0.002) -> None:
        found = find_ruling(picture)
        self.assertLess(abs(found.pitch_px / pitch_px - 1), relative, found)
        self.assertLess(abs(found.pitch_px - pitch_px), 5 * found.u_pitch_px + 1e-4 * pitch_px, found)

    def test_tilted_noisy_partly_out_of_focus_unevenly_lit_and_numbered(self) -> None:
        random = np.random.default_rng(12)
        for seed in range(24):
            pitch, angle = float(random.uniform(8, 60)), float(random.uniform(-15, 15))
            picture = ruled_slide(
                pitch, angle, longer=int(random.choice([0, 2, 5, 10])), noise=float(random.uniform(0, 0.12)),
                blur_px=float(random.uniform(0, 4)), light=float(random.uniform(0, 0.7)),
                bright=bool(random.integers(2)), seed=seed,
            )  # fmt: skip
            with self.subTest(pitch=pitch, angle=angle, seed=seed):
                self.assert_pitch(picture, pitch)
                self.assertAlmostEqual(find_ruling(picture).angle_deg, angle, delta=0.1)

    def test_short_lines_upright_with_every_fifth_and_tenth_longer(self) -> None:
        for pitch, size, longer, thick in (
            (14.0, (840, 560), (1.33, 1.66), 0.3),  # the row of marks is a bar: its ends stand out more than they do
            (12.5, (840, 560), (1.5, 2.0), 0.3),
            (10.0, (1536, 1024), (1.5, 2.0), 0.12),  # beside the ruling there is nothing
            (20.0, (1200, 800), (2.0, 3.0), 0.2),  # thin lines: their even harmonics make a comb as well
        ):
            with self.subTest(pitch=pitch, thick=thick):
                self.assert_pitch(short_ruling(pitch, size=size, longer=longer, thick=thick), pitch)

    def test_lines_that_lie_flat(self) -> None:
        self.assert_pitch(ruled_slide(20, 97), 20)

    def test_a_grid(self) -> None:
        self.assert_pitch(np.minimum(ruled_slide(25, 7, longer=0), ruled_slide(25, 97, longer=0)), 25)

    def test_marks_of_glass_with_two_edges(self) -> None:
        for pairs in (0.2, 0.33, 0.4):
            with self.subTest(pairs=pairs):
                self.assert_pitch(ruled_slide(31, -6, pairs=pairs, numbers=False), 31)

    def test_a_part_of_the_field_is_enough(self) -> None:
        half = ruled_slide(22, 9).copy()
        half[:, : half.shape[1] // 2] = 0.5
        self.assert_pitch(half, 22)

    def test_few_lines_are_measured_rightly_or_not_at_all(self) -> None:
        for pitch in range(60, 200, 14):
            picture = ruled_slide(pitch, 3, longer=5 if pitch % 4 else 0)
            try:
                self.assertLess(abs(find_ruling(picture).pitch_px / pitch - 1), 0.002)
            except BadInput as error:
                self.assertIn("two points by hand", str(error))

    def test_a_large_picture_is_shrunk_and_measured_in_its_own_pixels(self) -> None:
        large = cv2.resize(ruled_slide(24, -4), (2520, 1680), interpolation=cv2.INTER_CUBIC)
        self.assert_pitch(np.asarray(large, np.float32), 72)

    def test_a_bent_field_is_reported(self) -> None:
        straight, bent = find_ruling(ruled_slide(25, 7)), find_ruling(ruled_slide(25, 7, barrel=0.03))
        assert straight.distortion is not None
        assert bent.distortion is not None
        self.assertLess(straight.distortion, 0.002)
        # A third of 3 % moves the corners; the local pitch, its derivative, changes by up to three times that.
        self.assertTrue(0.005 < bent.distortion < 0.03, bent)
        self.assertGreater(bent.u_pitch_px, 3 * straight.u_pitch_px)

    def test_the_origin_lies_on_a_line(self) -> None:
        picture = ruled_slide(30, 5, numbers=False, noise=0)
        x, y = find_ruling(picture).origin_px
        self.assertLess(picture[round(y), round(x)], 0.5)

    def test_lines_too_close_are_named(self) -> None:
        with self.assertRaisesRegex(BadInput, "closer than 6 px"):
            find_ruling(ruled_slide(4.5, 3))

    def test_what_is_no_ruling_is_not_taken_for_one(self) -> None:
        random = np.random.default_rng(4)
        barcode = np.repeat(random.random((1, 960)), 640, axis=0).astype(np.float32)
        pictures = {f"stripes {blur}": cv2.GaussianBlur(barcode, (0, 0), blur) for blur in (0.5, 1.0, 2.0, 4.0)}
        pictures["noise"] = random.random((640, 960)).astype(np.float32)
        pictures["empty"] = np.full((640, 960), 0.5, np.float32)
        for name in ("wulfenite", "lacewing-eyes"):
            frames = shot(name, 5 if name == "wulfenite" else 3).frames
            pictures[name] = frames.grey(len(frames.names) // 2, 1)
        for name, picture in pictures.items():
            with self.subTest(name), self.assertRaises(BadInput):
                find_ruling(picture)  # type: ignore[arg-type]


if __name__ == "__main__":
    unittest.main()
