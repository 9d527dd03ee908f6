"""Ground told from specimen by depth and by looks, on a body with bristles before a plain ground."""

import unittest
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.mending import ground_by_depth, ground_like, ground_plain
from amber_ladder.core.mending._ground import _guided

HEIGHT, WIDTH = 420, 600
Float = NDArray[np.float32]


def scene(seed: int) -> tuple[NDArray[np.uint8], NDArray[np.bool_], NDArray[np.bool_]]:
    """A picture, where its ground is, and where its bristles are."""
    random = np.random.default_rng(seed)
    y, x = np.mgrid[:HEIGHT, :WIDTH].astype(np.float32)
    grain = cv2.GaussianBlur(random.standard_normal((HEIGHT, WIDTH)).astype(np.float32), (0, 0), 2.0)
    body = ((x - 300) / 190) ** 2 + ((y - 210) / 120) ** 2 < 1
    hairs = np.zeros((HEIGHT, WIDTH), np.uint8)
    for angle in np.linspace(0, 2 * np.pi, 24, endpoint=False):
        way = np.array([np.cos(angle), np.sin(angle)])
        root, tip = np.array([300, 210]) + way * (180, 112), np.array([300, 210]) + way * (250, 180)
        cv2.line(hairs, root.astype(int).tolist(), tip.astype(int).tolist(), 1, 3)
    bristles = (hairs > 0) & ~body
    picture: NDArray[Any] = np.empty((HEIGHT, WIDTH, 3), np.float32)
    picture[:] = np.array([95, 105, 110]) + 12 * (x / WIDTH)[..., None]  # lit from one side
    picture[body] = (np.array([150, 110, 60]) + 120 * grain[..., None] / grain.std() * 0.25)[body]
    picture[bristles] = (70, 45, 25)
    picture = cv2.GaussianBlur(picture, (0, 0), 0.7) + random.normal(0, 1.0, picture.shape)
    return np.asarray(np.clip(picture, 0, 255), np.uint8), ~(body | bristles), bristles


def rough_scene(seed: int) -> tuple[NDArray[np.uint8], NDArray[np.bool_], NDArray[np.bool_]]:
    """The same of bristles alone, of the colours of a rough ground in focus behind them."""
    random = np.random.default_rng(seed)
    fine, coarse = (
        cv2.GaussianBlur(random.standard_normal((HEIGHT, WIDTH)).astype(np.float32), (0, 0), px) for px in (2.5, 25.0)
    )
    light = 120 + 27 * coarse / coarse.std() + 15 * fine / fine.std()
    picture = np.stack([light * 1.05, light * 0.95, light * 0.8], axis=-1)
    hairs = np.zeros((HEIGHT, WIDTH), np.uint8)
    for _ in range(9):
        root, turn = random.uniform(40, (WIDTH - 40, HEIGHT - 40)), random.uniform(0, 2 * np.pi)
        tip = root + 170 * np.array([np.cos(turn), np.sin(turn)])
        cv2.line(hairs, root.astype(int).tolist(), tip.astype(int).tolist(), 1, int(random.integers(5, 14)))
    round_ = cv2.distanceTransform(hairs, cv2.DIST_L2, 5)
    picture[hairs > 0] = (np.stack([110 + 8 * round_, 92 + 7 * round_, 60 + 5 * round_], axis=-1))[hairs > 0]
    picture = cv2.GaussianBlur(picture, (0, 0), 0.8) + random.normal(0, 1.0, picture.shape)
    return np.asarray(np.clip(picture, 0, 255), np.uint8), hairs == 0, hairs > 0


def depth_of(ground: NDArray[np.bool_], *, wide_px: int) -> Float:
    """As a merge would tell it: too wide about the specimen by so much, noisy, nothing known at the rim."""
    near = cv2.dilate((~ground).astype(np.uint8), np.ones((2 * wide_px + 1,) * 2, np.uint8)) > 0
    noise = 6 * np.random.default_rng(1).standard_normal(ground.shape)
    depth = np.asarray(np.where(near, 200.0, 500.0) + noise, np.float32)
    depth[:6], depth[-6:], depth[:, :6], depth[:, -6:] = np.nan, np.nan, np.nan, np.nan
    return depth


def overlap(one: NDArray[np.bool_], two: NDArray[np.bool_]) -> float:
    return float((one & two).sum() / (one | two).sum())


class Ground(unittest.TestCase):
    def check(self, share: Float | None, ground: NDArray[np.bool_], bristles: NDArray[np.bool_]) -> None:
        assert share is not None
        self.assertGreaterEqual(overlap(share > 0.5, ground), 0.97)
        self.assertLess(float((share > 0.5)[bristles].mean()), 0.12)

    def test_what_lies_farther_is_ground_and_bristles_stay(self) -> None:
        for seed in (1, 2):
            picture, ground, bristles = scene(seed)
            self.check(ground_by_depth(picture, depth_of(ground, wide_px=3), 400.0, 2.0), ground, bristles)

    def test_bristles_stay_before_a_rough_ground_of_their_own_colours(self) -> None:
        """Narrower than a depth map is sure of, they were told by their colours alone: a third of them went."""
        for seed in (11, 12, 13):
            with self.subTest(seed):
                picture, ground, bristles = rough_scene(seed)
                self.check(ground_by_depth(picture, depth_of(ground, wide_px=4), 400.0, 2.0), ground, bristles)

    def test_a_ground_beyond_the_ladder_is_told_by_showing_nothing(self) -> None:
        picture, ground, bristles = scene(3)
        depth = depth_of(ground, wide_px=3)
        depth[depth > 400] = np.nan
        self.check(ground_by_depth(picture, depth, 400.0, 2.0), ground, bristles)

    def test_what_shows_nothing_and_has_no_depth_is_ground_in_frames_too(self) -> None:
        picture, ground, bristles = scene(7)
        depth = depth_of(ground, wide_px=3) / 22.5  # frames
        depth[depth > 18] = np.nan
        # A plain place of the body has a depth, and one with detail has none: neither is ground.
        picture[180:240, 200:260] = 105
        depth[180:240, 330:390] = np.nan
        self.check(ground_plain(picture, depth, 2.0), ground, bristles)
        known = np.full(ground.shape, 9.0, np.float32)
        self.assertIsNone(ground_plain(picture, known, 2.0))

    def test_its_rim_follows_the_picture_as_the_guided_filter_is_published(self) -> None:
        picture, ground, _ = scene(4)
        guide, mask, radius = picture[100:220, 60:240].astype(np.float64) / 255, ground[100:220, 60:240] * 1.0, 3
        guide[:30] = 0.5  # where the picture has no edge, the mask is only averaged

        def mean(plane: NDArray[Any]) -> NDArray[Any]:
            return np.asarray(cv2.blur(plane, (2 * radius + 1,) * 2, borderType=cv2.BORDER_REFLECT))

        middle, own = mean(guide), mean(mask)
        along = mean(guide * mask[..., None]) - middle * own[..., None]
        products = (guide[..., :, None] * guide[..., None, :]).reshape(*mask.shape, 9)
        spread = mean(products).reshape(*mask.shape, 3, 3) - middle[..., :, None] * middle[..., None, :]
        slope = np.linalg.solve(spread + 1e-4 * np.eye(3), along[..., None])[..., 0]
        plain = (mean(slope) * guide).sum(axis=2) + mean(own - (slope * middle).sum(axis=2))
        found = _guided(guide.astype(np.float32), mask.astype(np.float32), radius)
        np.testing.assert_allclose(found, plain, atol=1e-3)

    def test_what_looks_like_a_place_is_ground(self) -> None:
        picture, ground, bristles = scene(4)
        self.check(ground_like(picture, 40, 380, 2.0), ground, bristles)

    def test_where_nothing_lies_farther_there_is_none(self) -> None:
        picture, ground, _ = scene(5)
        textured = np.asarray(np.random.default_rng(2).integers(0, 255, picture.shape), np.uint8)
        self.assertIsNone(ground_by_depth(textured, np.full(ground.shape, 200.0, np.float32), 400.0, 2.0))

    def test_the_same_picture_gives_the_same_ground(self) -> None:
        picture, ground, _ = scene(6)
        one, two = (ground_by_depth(picture, depth_of(ground, wide_px=3), 400.0, 2.0) for _ in "ab")
        np.testing.assert_array_equal(one, two)


if __name__ == "__main__":
    unittest.main()
