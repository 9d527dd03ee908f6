import unittest
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import no_progress
from amber_ladder.core.mending import (
    TILE_PX,
    Box,
    Brush,
    Crop,
    Erased,
    Grounded,
    Healed,
    Kind,
    Laid,
    Layer,
    Mended,
    Painted,
    Sharpened,
    Source,
    Toned,
    cut_patch,
)
from amber_ladder.core.registration import IDENTITY

HEIGHT, WIDTH = 700, 900


def picture(seed: int, dtype: type[np.integer[Any]] = np.uint8) -> NDArray[Any]:
    """Smooth noise over the whole range of its type, (H, W, 3)."""
    noise = np.random.default_rng(seed).random((HEIGHT // 4, WIDTH // 4, 3))
    wide = np.clip(cv2.resize(noise, (WIDTH, HEIGHT), interpolation=cv2.INTER_LINEAR), 0, 1)
    return np.asarray(np.rint(wide * np.iinfo(dtype).max), dtype)


MERGE, FRAME = picture(1), picture(2)
ALL = [(380.0, 300.0), (640.0, 520.0)]  # over a corner where four tiles meet


def painted(path: list[tuple[float, float]] = ALL, *, strength: float = 0.85, radius_px: float = 40.0) -> Painted:
    brush = Brush(tuple(path), radius_px, 1.0, strength)
    return Painted(brush, cut_patch(Source(FRAME, IDENTITY), MERGE, brush, align=False))


def mended(*layers: Layer | Healed, merge: NDArray[Any] = MERGE) -> tuple[NDArray[Any], NDArray[np.uint8]]:
    return Mended(merge, layers).whole(no_progress)


class Painting(unittest.TestCase):
    def test_paint_covers_as_strongly_as_asked_and_all_else_is_the_merge_itself(self) -> None:
        layer = painted()
        whole, kinds = mended(layer)
        share = layer.brush.covering(Box(0, 0, WIDTH, HEIGHT))[..., None]
        wanted = MERGE + share * (FRAME.astype(np.float32) - MERGE)
        self.assertLessEqual(float(np.abs(whole - wanted).max()), 0.51)
        self.assertTrue((kinds == (share[..., 0] > 0)).all())
        self.assertTrue((whole[kinds == Kind.UNTOUCHED] == MERGE[kinds == Kind.UNTOUCHED]).all())
        self.assertGreater(int((kinds == Kind.FRAME).sum()), 20_000)

    def test_a_step_that_is_off_is_none_and_erasing_wholly_gives_back_the_merge_to_the_byte(self) -> None:
        one, two = painted(), painted([(100.0, 100.0)])
        self.assertTrue((mended(one)[0] != mended(one, two)[0]).any())
        away = Erased(Brush(tuple(ALL), 60.0, 0.2, 1.0))
        whole, kinds = mended(one, away)
        self.assertTrue((whole == MERGE).all())
        self.assertFalse(kinds.any())

    def test_half_erased_is_still_from_a_frame(self) -> None:
        whole, kinds = mended(painted(strength=1.0), Erased(Brush((ALL[0],), 20.0, 0.0, 0.5)))
        x, y = (int(one) for one in ALL[0])
        between = (MERGE[y, x].astype(float) + FRAME[y, x]) / 2
        self.assertLessEqual(float(np.abs(whole[y, x] - between).max()), 0.51)
        self.assertEqual(int(kinds[y, x]), Kind.FRAME)

    def test_sixteen_bits_stay(self) -> None:
        merge, frame = picture(1, np.uint16), picture(2, np.uint16)
        brush = Brush(((400.0, 300.0),), 50.0, 0.0, 1.0)
        whole, kinds = mended(
            Painted(brush, cut_patch(Source(frame, IDENTITY), merge, brush, align=False)), merge=merge
        )
        self.assertEqual(whole.dtype, np.uint16)
        self.assertEqual(whole[300, 400].tolist(), frame[300, 400].tolist())
        self.assertTrue((whole[kinds == 0] == merge[kinds == 0]).all())


class Healing(unittest.TestCase):
    def test_what_heals_comes_from_where_it_was_taken_as_the_steps_before_left_it(self) -> None:
        healed = Healed(Brush(((200.0, 200.0),), 25.0, 0.0, 1.0), 180, 100)
        whole, kinds = mended(painted(strength=1.0), healed)
        first, _ = mended(painted(strength=1.0))
        self.assertEqual(whole[200, 200].tolist(), first[300, 380].tolist())
        self.assertEqual(whole[200, 200].tolist(), FRAME[300, 380].tolist())
        self.assertEqual(int(kinds[200, 200]), Kind.HEALED)

    def test_it_is_said_to_be_no_evidence_until_nothing_of_it_is_left(self) -> None:
        there = Brush(((200.0, 200.0),), 25.0, 0.0, 1.0)
        healed = Healed(there, 180, 100)
        for strength, kind in ((0.6, Kind.HEALED), (1.0, Kind.FRAME)):
            over = Brush(((200.0, 200.0),), 25.0, 0.0, strength)
            patch = cut_patch(Source(FRAME, IDENTITY), MERGE, over, align=False)
            _, kinds = mended(healed, Painted(over, patch))
            self.assertEqual(int(kinds[200, 200]), kind)


class Tones(unittest.TestCase):
    def test_tone_follows_its_points(self) -> None:
        whole, kinds = mended(Toned(black=0.2, white=0.8, gamma=1.0))
        wanted = np.clip((MERGE / 255 - 0.2) / 0.6, 0, 1) * 255
        self.assertLessEqual(float(np.abs(whole - wanted).max()), 0.51)
        changed = (whole != MERGE).any(axis=2)
        self.assertTrue(((kinds == Kind.TONE) == changed).all())
        grey = np.full((64, 64, 3), 64, np.uint8)
        bright, _ = mended(Toned(gamma=2.0), merge=grey)
        self.assertEqual(int(bright[0, 0, 0]), round(255 * (64 / 255) ** 0.5))

    def test_highlights_go_down_and_shadows_stay_in_their_order(self) -> None:
        ramp = np.repeat(np.arange(256, dtype=np.uint8)[None, :, None], 64, axis=0).repeat(3, axis=2)
        low, _ = mended(Toned(highlights=-1.0), merge=ramp)
        row = low[0, :, 0].astype(int)
        self.assertTrue((np.diff(row) >= 0).all())
        self.assertLess(row[200], 180)
        self.assertGreater(row[40], 38)
        self.assertEqual((row[0], row[255]), (0, 255))

    def test_by_brush_tones_change_below_it_alone(self) -> None:
        brush = Brush(((300.0, 200.0),), 30.0, 0.0, 1.0)
        everywhere, _ = mended(Toned(gamma=1.5))
        below, kinds = mended(Toned(gamma=1.5, brush=brush))
        np.testing.assert_array_equal(below[195:206, 295:306], everywhere[195:206, 295:306])
        np.testing.assert_array_equal(below[:160], MERGE[:160])
        self.assertEqual(int(kinds[200, 300]), Kind.TONE)
        self.assertEqual(int(kinds[:160].max()), 0)
        weaker, _ = mended(Toned(gamma=1.5, brush=replace(brush, strength=0.5)))
        half = (MERGE[200, 300].astype(float) + everywhere[200, 300]) / 2
        np.testing.assert_allclose(weaker[200, 300], half, atol=1)

    def test_painted_stays_painted_when_tones_change_after_it(self) -> None:
        _, kinds = mended(painted(), Toned(gamma=1.3))
        self.assertEqual(int(kinds[300, 380]), Kind.FRAME)
        self.assertEqual(int(kinds[50, 50]), Kind.TONE)

    def test_sharpening_makes_an_edge_steeper_and_leaves_plain_parts_and_colours(self) -> None:
        edge: NDArray[Any] = np.zeros((120, 200, 3), np.uint8)
        edge[:, :100], edge[:, 100:] = (100, 60, 40), (180, 140, 120)
        edge = cv2.GaussianBlur(edge, (0, 0), 2.0)
        sharp, _ = mended(Sharpened(2.0, 0.8, None), merge=edge)
        self.assertGreater(int(sharp[60, 102, 0]) - int(sharp[60, 97, 0]),
                           1.1 * (int(edge[60, 102, 0]) - int(edge[60, 97, 0])))  # fmt: skip
        self.assertTrue((sharp[:, :80] == edge[:, :80]).all())
        self.assertLessEqual(int(np.abs((sharp[60, :, 0].astype(int) - sharp[60, :, 2]) - 60).max()), 1)
        brushed, kinds = mended(Sharpened(2.0, 0.8, Brush(((100.0, 30.0),), 20.0)), merge=edge)
        self.assertTrue((brushed[70:] == edge[70:]).all())
        self.assertTrue((kinds[20:40] == Kind.TONE).any())


class Grounds(unittest.TestCase):
    def test_a_ground_in_one_tone_or_darker(self) -> None:
        share = np.zeros((HEIGHT, WIDTH), np.uint8)
        share[:, 600:] = 255
        share[:, 590:600] = 128
        whole, kinds = mended(Grounded(share, (0.0, 0.0, 0.0)))
        self.assertFalse(whole[:, 600:].any())
        self.assertTrue((whole[:, :590] == MERGE[:, :590]).all())
        self.assertLessEqual(float(np.abs(whole[:, 595] - MERGE[:, 595] * (1 - 128 / 255)).max()), 0.51)
        self.assertTrue((kinds[:, 590:] == Kind.GROUND).all())
        darker, _ = mended(Grounded(share, None))
        self.assertLessEqual(float(np.abs(darker[:, 700] - MERGE[:, 700] * 0.4).max()), 0.51)

    def test_content_made_before_is_laid_by_its_share(self) -> None:
        box = Box(500, 500, 540, 530)
        pixels = np.full((30, 40, 3), 200, np.uint8)
        whole, kinds = mended(Laid(box, pixels, np.full((30, 40), 255, np.uint8), Kind.DUST))
        self.assertTrue((whole[500:530, 500:540] == 200).all())
        self.assertEqual(int((kinds == Kind.DUST).sum()), 1200)


class Tiles(unittest.TestCase):
    def test_tiles_know_nothing_of_each_other_and_show_no_seam(self) -> None:
        layers: list[Layer | Healed] = [
            painted(), Healed(Brush(((500.0, 500.0), (520.0, 540.0)), 20.0), -90, -60), Sharpened(6.0, 0.5, None),
            Toned(gamma=1.2), Sharpened(1.2, 0.4, Brush(((512.0, 400.0), (512.0, 620.0)), 40.0)),
        ]  # fmt: skip
        whole, kinds = mended(*layers)
        bench = Mended(MERGE, layers)
        for box in reversed(bench.boxes()):
            pixels, marked = bench.tile(box)
            part = np.s_[box.top : box.bottom, box.left : box.right]
            self.assertTrue((pixels == whole[part]).all() and (marked == kinds[part]).all())
        self.assertEqual(bench.boxes()[0], Box(0, 0, TILE_PX, TILE_PX))

    def test_where_tiles_end_does_not_show(self) -> None:
        def shown(left: int) -> NDArray[Any]:
            """The same steps on a picture that begins farther to the right: its tiles end elsewhere."""
            brush = Brush(((512.0 - left, 400.0), (512.0 - left, 620.0)), 40.0)
            healed = Healed(Brush(((530.0 - left, 500.0),), 20.0), 90, -60)
            layers = (healed, Sharpened(6.0, 0.5, None), Toned(gamma=1.2), Sharpened(1.2, 0.4, brush))
            return mended(*layers, merge=np.ascontiguousarray(MERGE[:, left:]))[0]

        off = np.abs(shown(0)[:, 300:].astype(int) - shown(200)[:, 100:])
        self.assertLessEqual(int(off.max()), 1)
        self.assertLess(float((off > 0).mean()), 1e-3)

    def test_tiles_that_no_step_touches_are_not_computed(self) -> None:
        bench = Mended(MERGE, [painted([(700.0, 600.0)])])
        self.assertEqual([bench.is_touched(box) for box in bench.boxes()], [False, False, False, True])


class Cropping(unittest.TestCase):
    def test_a_crop_keeps_its_pixels_and_what_is_turned_lies_level(self) -> None:
        self.assertTrue((Crop(30, 40, 200, 100).cut(MERGE) == MERGE[40:140, 30:230]).all())
        tilted = np.zeros((400, 600, 3), np.uint8)
        angle = np.radians(5.0)
        for x in range(600):
            tilted[round(200 + (x - 300) * np.tan(angle)) :, x] = 200
        level = Crop(150, 100, 300, 200, 5.0).cut(tilted)
        edges = np.argmax(level[:, :, 0] > 100, axis=0)
        self.assertLessEqual(int(edges.max() - edges.min()), 1)

    def test_nothing_is_filled_in_at_the_edges(self) -> None:
        self.assertTrue(Crop(0, 0, WIDTH, HEIGHT).fits(WIDTH, HEIGHT))
        self.assertFalse(Crop(0, 0, WIDTH, HEIGHT, 0.5).fits(WIDTH, HEIGHT))
        self.assertFalse(Crop(1, 0, WIDTH, HEIGHT).fits(WIDTH, HEIGHT))
        self.assertTrue(Crop(200, 150, 400, 300, 20.0).fits(WIDTH, HEIGHT))


if __name__ == "__main__":
    unittest.main()
