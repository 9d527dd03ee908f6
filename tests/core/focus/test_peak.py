import unittest
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import PeakTracker, focus_energy

Float = NDArray[np.float32]


class Peaks(unittest.TestCase):
    def found(self, places: Sequence[float], wanted: Float, told: Sequence[float] | None = None) -> Float:
        """Where peaks are found, in steps, of detail that fades with defocus as that of a lens does."""
        tracker = PeakTracker((wanted.shape[0], wanted.shape[1]))
        for place in places:
            tracker.add((1.0 / (1.0 + (place - wanted) ** 2) ** 2).astype(np.float32))
        peaks = tracker.peaks(told)
        self.assertTrue((peaks.confidence > 1).all())
        return np.interp(peaks.index, np.arange(len(places)), places).astype(np.float32)

    def test_a_known_peak_between_frames_is_found(self) -> None:
        wanted = np.linspace(2.0, 7.0, 32, dtype=np.float32).reshape(4, 8)
        np.testing.assert_allclose(self.found(range(10), wanted), wanted, atol=0.002)

    def test_frames_that_lie_unevenly_are_taken_where_they_lie(self) -> None:
        wanted = np.linspace(2.0, 7.0, 64, dtype=np.float32).reshape(8, 8)
        for name, places in (
            ("coarse clicks", [0, 1.2, 1.8, 3.2, 3.8, 5, 6.2, 6.8, 8.2, 9]),
            ("one left out", [0, 1, 2, 3, 5, 6, 7, 8, 9]),
            ("a gap", [0, 1, 2, 3, 7, 8, 9]),
            ("rungs between", [0, 1, 2, 3, 3.5, 4, 4.5, 5, 6, 7, 8]),
        ):
            with self.subTest(name):
                np.testing.assert_allclose(self.found(places, wanted, places), wanted, atol=0.002)
                self.assertGreater(np.abs(self.found(places, wanted) - wanted).max(), 0.2)

    def test_chance_between_two_frames_draws_depths_to_neither(self) -> None:
        random = np.random.default_rng(4)
        wanted = np.full((200, 200), 4.3, np.float32)
        tracker = PeakTracker((200, 200))
        for place in range(10):
            fades = 1.0 / (1.0 + ((place - wanted) / 1.5) ** 2) ** 2
            tracker.add((fades * np.exp(random.normal(0.0, 0.08, wanted.shape))).astype(np.float32))
        off = tracker.peaks().index - wanted
        self.assertLess(abs(float(off.mean())), 0.01)
        self.assertLess(float(off.std()), 0.05)

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
