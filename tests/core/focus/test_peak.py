import unittest

import numpy as np

from amber_ladder.core.focus import PeakTracker, focus_energy


class Peaks(unittest.TestCase):
    def test_a_known_peak_between_frames_is_found(self) -> None:
        wanted = np.linspace(2.0, 7.0, 32, dtype=np.float32).reshape(4, 8)
        tracker = PeakTracker((4, 8))
        for frame in range(10):
            tracker.add(np.exp(-((frame - wanted) ** 2) / 2.0).astype(np.float32))
        peaks = tracker.peaks()
        np.testing.assert_allclose(peaks.index, wanted, atol=0.01)
        self.assertTrue((peaks.confidence > 1).all())

    def test_what_no_frame_reaches_stays_unknown(self) -> None:
        tracker = PeakTracker((2, 2))
        tracker.add(np.full((2, 2), -1, np.float32))
        self.assertTrue(np.isnan(tracker.peaks().index).all())

    def test_energy_falls_with_blur_and_ignores_brightness(self) -> None:
        random = np.random.default_rng(1)
        sharp = random.random((64, 64), dtype=np.float32)
        from cv2 import GaussianBlur

        blurred = np.asarray(GaussianBlur(sharp, (0, 0), 2.0), np.float32)
        self.assertGreater(focus_energy(sharp).mean(), 20 * focus_energy(blurred).mean())
        np.testing.assert_allclose(focus_energy(sharp + 0.3), focus_energy(sharp), rtol=1e-2, atol=1e-5)


if __name__ == "__main__":
    unittest.main()
