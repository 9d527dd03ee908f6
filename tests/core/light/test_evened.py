"""Brightness of frames against each other, though focus moves light about and highlights clip."""

import unittest

import cv2
import numpy as np

from amber_ladder.core.light import even_out, log_ratio


def scattered(light: np.ndarray, spread_px2: np.ndarray) -> np.ndarray:
    """Light of which every place is blurred by its own variance, and shared out among all that arrives."""
    arrived, shares = np.zeros_like(light), np.zeros_like(light)
    levels, apart = np.linspace(0.05, 12.0, 60, retstep=True)
    for level in levels:
        here = np.clip(1.0 - np.abs(np.maximum(spread_px2, levels[0]) - level) / apart, 0, 1)
        arrived += cv2.GaussianBlur(here * light, (0, 0), float(np.sqrt(level)))
        shares += cv2.GaussianBlur(here, (0, 0), float(np.sqrt(level)))
    return np.asarray(arrived / np.maximum(shares, 1e-6), np.float32)


class Ratio(unittest.TestCase):
    def test_of_pictures_out_of_focus_with_clipped_highlights_and_a_part_that_moved(self) -> None:
        random = np.random.default_rng(3)
        light = cv2.GaussianBlur(random.uniform(0.05, 0.5, (160, 220)).astype(np.float32), (0, 0), 2)
        light[40:50, 60:75] = 3.0
        other = 0.93 * cv2.GaussianBlur(light, (0, 0), 1.5)
        other[100:130, 20:60] *= 0.3
        found = log_ratio(np.minimum(light, 1.0), np.minimum(other, 1.0))
        assert found is not None
        self.assertAlmostEqual(found[0], -np.log(0.93), delta=0.004)
        # The sums of light, which clipping and what moved change, would be far off.
        sums = np.log(np.minimum(light, 1.0).sum() / np.minimum(other, 1.0).sum())
        self.assertGreater(abs(sums + np.log(0.93)), 0.01)

    def test_light_that_focus_moves_down_a_slope_makes_no_frame_darker(self) -> None:
        x = np.broadcast_to(np.arange(220, dtype=np.float32), (160, 220))
        light = np.asarray(0.6 * np.exp(-x / 45), np.float32)
        spread = np.clip((200 - x) / 14, 0, 12).astype(np.float32)  # blurred the more the brighter it is
        other = np.asarray(0.93 * scattered(light, spread), np.float32)
        unaware, aware = log_ratio(light, other), log_ratio(light, other, spread)
        assert unaware is not None
        assert aware is not None
        self.assertGreater(abs(unaware[0] + np.log(0.93)), 0.002)
        self.assertAlmostEqual(aware[0], -np.log(0.93), delta=0.0006)

    def test_black_frames_tell_nothing(self) -> None:
        self.assertIsNone(log_ratio(np.zeros((90, 120), np.float32), np.full((90, 120), 0.3, np.float32)))


class EvenOut(unittest.TestCase):
    def test_a_graph_does_not_drift_as_a_chain_does(self) -> None:
        random = np.random.default_rng(4)
        logs = random.normal(0.0, 0.05, 60)
        ratios = [(first, first + apart, logs[first] - logs[first + apart] + random.normal(0, 0.002), 0.002)
                  for apart in (1, 2, 3, 5) for first in range(60 - apart)]  # fmt: skip
        left = logs + np.log(even_out(ratios, 60))
        self.assertLess(float(left.std()), 0.004)
        self.assertAlmostEqual(float(np.median(even_out(ratios, 60) * np.exp(logs - np.median(logs)))), 1.0, delta=0.01)

    def test_frames_that_are_all_alike_and_one_that_nothing_tells_of(self) -> None:
        alike = [(first, first + 1, 0.0, 1e-4) for first in range(8)]
        np.testing.assert_allclose(even_out(alike, 10), np.ones(10), atol=1e-6)
