import unittest

import cv2
import numpy as np

from amber_ladder.core.colour import colour_depth, decode_srgb, depth_colours, encode_srgb


class Colours(unittest.TestCase):
    def test_encoding_and_back(self) -> None:
        light = np.linspace(0, 1, 101, dtype=np.float32)
        np.testing.assert_allclose(decode_srgb(encode_srgb(light)), light, atol=1e-5)
        self.assertAlmostEqual(float(encode_srgb(np.float32([0.2140]))[0]), 0.5, places=3)  # type: ignore[arg-type]
        self.assertAlmostEqual(float(encode_srgb(np.float32([7.0]))[0]), 1.0, places=6)  # type: ignore[arg-type]

    def test_depth_colours_rise_evenly_in_lightness(self) -> None:
        lightness = cv2.cvtColor(depth_colours()[None].astype(np.float32) / 255, cv2.COLOR_RGB2LAB)[0, :, 0]
        steps = np.diff(cv2.GaussianBlur(lightness[:, None], (1, 31), 5)[:, 0])[16:-16]
        self.assertGreater(float(steps.min()), 0)
        self.assertLess(float(steps.max() / steps.min()), 2.0)

    def test_near_is_pale_far_is_blue_unknown_is_the_mat(self) -> None:
        near, far, unknown = colour_depth(np.float32([[0, 100, np.nan]]), 0, 100)[0].astype(int)  # type: ignore[arg-type]
        self.assertGreater(near.min(), 180)
        self.assertEqual(int(far.argmax()), 2)
        self.assertLess(far.sum(), 250)
        self.assertEqual(unknown.tolist(), [42, 45, 44])


if __name__ == "__main__":
    unittest.main()
