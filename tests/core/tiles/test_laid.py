"""Four by four tiles of one large simulated field, of known places, brightness and depth, laid together."""

import unittest
from functools import cache
from itertools import pairwise

import cv2
import numpy as np

from amber_ladder.core.colour import decode_srgb
from amber_ladder.core.tiles import Overlap, Placed, Tile, bounds, even_depths, even_light, laid_rows, match, place
from benchmarks.tiled import GRID, SHAPE, Seen, Whole


@cache
def whole(specimen: str) -> tuple[Whole, list[Overlap], Placed]:
    made = Whole(specimen, 4)
    overlaps = made.overlaps()
    return made, overlaps, place(SHAPE, made.said, overlaps)


class FourByFour(unittest.TestCase):
    def test_seams_are_under_half_a_pixel_and_lengths_across_them_right(self) -> None:
        for specimen in ("wulfenite", "jewel-wasp", "fern-sporangia"):
            with self.subTest(specimen):
                made, overlaps, found = whole(specimen)
                self.assertTrue(all(found.tied))
                off = made.seams_px(found, overlaps)
                self.assertLess(max(off), 0.5)
                for seam in found.seams:
                    assert seam.rms_px is not None
                    self.assertLess(seam.rms_px, 0.5)
                # The middles of all pairs of tiles: as far apart as in truth.
                centre = np.array([SHAPE[1] - 1, SHAPE[0] - 1]) / 2
                true, laid = (
                    np.array([m[:, :2] @ centre + m[:, 2] for m in some]) for some in (made.matrices, found.matrices)
                )
                for i in range(GRID**2):
                    for j in range(i):
                        length = np.hypot(*(true[i] - true[j]))
                        self.assertAlmostEqual(np.hypot(*(laid[i] - laid[j])) / length, 1.0, delta=0.002)

    def test_the_uncertainty_holds(self) -> None:
        made, _, found = whole("wulfenite")
        anchor = int(np.argmin(found.corner_px))
        centre = np.array([SHAPE[1] - 1, SHAPE[0] - 1]) / 2
        to_true = np.vstack([made.matrices[anchor], [0, 0, 1]]) @ np.linalg.inv(
            np.vstack([found.matrices[anchor], [0, 0, 1]])
        )
        off, u = [], []
        for n in range(GRID**2):
            if n == anchor:
                continue
            at = found.matrices[n][:, :2] @ centre + found.matrices[n][:, 2]
            there = to_true[:2, :2] @ at + to_true[:2, 2]
            off.append(float(np.hypot(*(there - made.matrices[n][:, :2] @ centre - made.matrices[n][:, 2]))))
            u.append(found.corner_px[n])
        self.assertLess(np.mean(np.array(off) < 2 * np.array(u)), 1.01)
        self.assertGreater(np.mean(np.array(off) < 2.5 * np.array(u)), 0.7)

    def test_the_whole_is_what_lies_there(self) -> None:
        made, overlaps, found = whole("wulfenite")
        gains = even_light(made.pictures, found.matrices, overlaps)
        self.assertLess(float(np.std(np.log(gains * made.gains))), 0.01)
        added, u, left = even_depths(made.depths, overlaps)
        # How sure the zero of each is, from the first one's on: it holds, and is not idle.
        off = np.abs(added + made.deeper - (added + made.deeper)[0])[1:] / u[1:]
        self.assertGreater(float((off < 3).mean()), 0.75)
        self.assertGreater(float(off.max()), 0.3)
        self.assertLess(float(np.ptp(added + made.deeper)), 6.0)
        self.assertLess(float(np.nanmax(left)), 6.0)
        boxes = [(4, 4, SHAPE[1] - 8, SHAPE[0] - 8)] * GRID**2
        parts = list(
            laid_rows(
                [
                    Tile(
                        made.pictures[n],
                        made.depths[n],
                        made.depths[n],
                        boxes[n],
                        found.matrices[n],
                        found.deeper[n],
                        float(gains[n]),
                        float(added[n]),
                        0.0,
                    )
                    for n in range(GRID**2)
                ],
                progress=lambda *_: None,
            )
        )
        picture = np.concatenate([one.composite for one in parts])
        left_px, top_px, width, height = bounds(found.matrices, boxes)
        self.assertEqual(picture.shape, (height, width, 3))
        anchor = int(np.argmin(found.corner_px))
        to_true = np.vstack([made.matrices[anchor], [0, 0, 1]]) @ np.linalg.inv(
            np.vstack([found.matrices[anchor], [0, 0, 1]])
        )
        to_true = to_true @ np.array([[1, 0, left_px], [0, 1, top_px], [0, 0, 1]])
        truth = cv2.warpAffine(
            made.light, to_true[:2], (width, height), flags=cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
        )
        inner = np.s_[40:-40, 40:-40]
        shown = decode_srgb(np.asarray(picture / 255, np.float32))[inner]
        common = float(np.median(shown / np.maximum(truth[inner], 1e-3)))
        off = np.abs(shown - common * truth[inner])
        self.assertLess(float(off.mean()), 0.01)
        depth = np.concatenate([one.depth for one in parts])
        self.assertGreater(float(np.isfinite(depth[inner]).mean()), 0.999)
        true_depth = cv2.warpAffine(
            made.depth, to_true[:2], (width, height), flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP
        )
        wrong = depth[inner] - true_depth[inner]
        self.assertLess(float(np.median(np.abs(wrong - np.median(wrong)))), 3.0)

    def test_what_lies_deep_is_laid_too_though_each_tile_sees_it_from_elsewhere(self) -> None:
        for specimen in ("wulfenite", "fern-sporangia"):
            made = Seen(specimen, 3)
            with_depth, without = (made.laid(seen)[1] for seen in (True, False))
            self.assertLess(max(with_depth), 0.5)
            self.assertGreater(max(without), 0.9)
            # The middle tile shows all as it did: the whole is seen from there.
            made = Seen(specimen, 3, aligned_px=0.0)
            found, _ = made.laid()
            self.assertEqual(found.anchor, 4)
            np.testing.assert_allclose(found.deeper[4], 0.0, atol=1e-6)
            # To the right things lie farther left the deeper they are, by the growth of a tile for each of its px.
            apart = float(made.said[5][0] - made.said[4][0])
            shift = found.deeper[5] @ np.array([(SHAPE[1] - 1) / 2, (SHAPE[0] - 1) / 2, 1])
            self.assertAlmostEqual(shift[0] / (-made.growth * apart), 1.0, delta=0.4)

    def test_tiles_that_show_nothing_alike_are_said_to_lie_where_they_were_put(self) -> None:
        made, overlaps, _ = whole("wulfenite")
        lone = [one if 15 not in (one.first, one.second) else Overlap(one.first, one.second, None) for one in overlaps]
        found = place(SHAPE, made.said, lone)
        self.assertEqual([n for n, tied in enumerate(found.tied) if not tied], [15])
        self.assertTrue(np.isnan(found.corner_px[15]))
        self.assertEqual(sum(one.rms_px is None for one in found.seams), 2)
        for one, other in pairwise(found.corner_px[:15]):
            self.assertTrue(np.isfinite(one) and np.isfinite(other))
        flat = np.full(SHAPE, 128, np.uint8)
        noise = np.random.default_rng(1).integers(100, 156, (2, *SHAPE)).astype(np.uint8)
        self.assertIsNone(match(flat, flat, np.array([330.0, 0.0]), 20.0))
        self.assertIsNone(match(noise[0], noise[1], np.array([330.0, 0.0]), 20.0))


if __name__ == "__main__":
    unittest.main()
