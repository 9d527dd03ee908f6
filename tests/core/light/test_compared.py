"""Pairs of test frames of known light: with a diffuser and without, one head and the other."""

import unittest

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import encode_srgb
from amber_ladder.core.light import brighter_stops, compared, softness


def shot(light: NDArray[np.float64], *, seed: int = 0) -> NDArray[np.uint8]:
    """A frame of linear light (H, W), with noise."""
    noisy = light + np.random.default_rng(seed).normal(0, 0.003, light.shape)
    encoded = encode_srgb(np.clip(noisy, 0, 1).astype(np.float32))
    return np.repeat(np.rint(255 * encoded).astype(np.uint8)[..., None], 3, axis=2)


def scene(lowest: float, highest: float, glare: float = 0.0, shadow: float = 0.0) -> NDArray[np.float64]:
    """Light from one value to the other, with shares of it washed out and in shadow."""
    light = np.geomspace(lowest, highest, 300 * 400)
    light[: round(shadow * light.size)] = 0.001
    light[light.size - round(glare * light.size) :] = 4.0
    return np.random.default_rng(5).permutation(light).reshape(300, 400)


class Diffuser(unittest.TestCase):
    def test_shares_of_glare_and_shadow(self) -> None:
        found = softness(shot(scene(0.05, 0.6, glare=0.02, shadow=0.10)))
        self.assertAlmostEqual(found.glare, 0.02, delta=0.001)
        self.assertAlmostEqual(found.shadow, 0.10, delta=0.002)
        calm = softness(shot(scene(0.1, 0.4)))
        self.assertEqual((calm.glare, calm.shadow), (0.0, 0.0))
        self.assertAlmostEqual(calm.contrast_stops, 2.0, delta=0.15)

    def test_what_it_takes_is_told_whatever_the_flash_was_set_to(self) -> None:
        bare, through = softness(shot(scene(0.04, 0.7))), softness(shot(scene(0.04, 0.7) / 2**1.2))
        told = compared(bare, through, 1 / 16, 1 / 16)
        self.assertAlmostEqual(told.taken_stops, 1.2, delta=0.05)
        self.assertFalse(told.alike)
        evened = compared(bare, softness(shot(scene(0.05, 0.6))), 1 / 16, 1 / 16 * 2**1.2)
        self.assertAlmostEqual(evened.taken_stops, 1.2, delta=0.1)
        self.assertTrue(evened.alike)


class Heads(unittest.TestCase):
    def test_balance_over_what_both_reach(self) -> None:
        # Each head lights one side more: what both reach in between tells the balance.
        x = np.linspace(-1, 1, 400)[None, :] * np.ones((300, 1))
        left, right = 0.3 * (1 - 0.5 * x), 0.3 * (1 + 0.5 * x)
        for stops in (0.0, 0.7, -1.5):
            first, second = shot(left), shot(right / 2**stops, seed=1)
            self.assertAlmostEqual(brighter_stops(first, second) or 0.0, stops, delta=0.05)

    def test_a_washed_out_place_counts_as_brighter_and_what_cannot_be_known_is_unknown(self) -> None:
        even = np.full((300, 400), 0.2)
        hot = even.copy()
        hot[:100] = 4.0
        self.assertAlmostEqual(brighter_stops(shot(hot), shot(even / 2)) or 0.0, 1.0, delta=0.03)
        self.assertIsNone(brighter_stops(shot(even), shot(0 * even)))
        self.assertIsNone(brighter_stops(shot(9 * hot), shot(9 * hot)))
        # Washed out by one head, not by how much: which of two it is lies open.
        self.assertIsNone(brighter_stops(shot(10 * np.geomspace(0.1, 9, 120_000).reshape(300, 400)), shot(4.9 * even)))


if __name__ == "__main__":
    unittest.main()
