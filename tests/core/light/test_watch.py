"""Frames that were lit wrongly, told from those beside them, and right ones that only look strange."""

import unittest

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import LightWatch

Float = NDArray[np.float32]


def scene(seed: int = 1) -> Float:
    """Linear light of a specimen on a dim ground."""
    ground = cv2.GaussianBlur(np.random.default_rng(seed).random((300, 400), dtype=np.float32), (0, 0), 6.0)
    light = 0.08 + 0.2 * (ground - ground.min()) / (ground.max() - ground.min())
    cv2.circle(light, (210, 140), 60, 0.7, -1)
    return np.asarray(light, np.float32)


def encoded(light: Float, stops: float = 0.0) -> Float:
    return np.asarray(np.clip(light * np.float32(2.0**stops), 0, 1) ** np.float32(1 / 2.2), np.float32)


class Watch(unittest.TestCase):
    def judged(self, *frames: Float) -> list[str | None]:
        """What is said of each frame in turn; fit ones must come in order."""
        watch = LightWatch[int]()
        told = [one for index, frame in enumerate(frames) for one in watch.add(index, frame)] + watch.end()
        fit = [one.frame for one in told if one.reason is None]
        self.assertEqual(fit, sorted(fit))
        reasons = {one.frame: one.reason for one in told}
        self.assertEqual((len(told), sorted(reasons)), (len(frames), list(range(len(frames)))))
        return [reasons[index] for index in range(len(frames))]

    def test_a_misfire_is_told_with_its_stops_and_the_next_frame_is_fit(self) -> None:
        light = scene()
        told = self.judged(*(encoded(light) for _ in range(3)), encoded(light, -3.0), encoded(light))
        self.assertEqual([told[i] for i in (0, 1, 2, 4)], [None] * 4)
        self.assertRegex(told[3] or "", r"^is (2\.9|3\.0) stops darker than the frames beside it")
        self.assertIn("did the flash fire", self.judged(encoded(light), encoded(0 * light))[1] or "")

    def test_too_bright_is_told_too(self) -> None:
        light = 0.3 * scene()
        self.assertRegex(
            self.judged(encoded(light), encoded(light), encoded(light, 1.5))[2] or "", "1.5 stops brighter"
        )

    def test_a_frame_that_the_flash_met_half_way_is_lit_in_part(self) -> None:
        light = scene()
        half = light * np.linspace(0.02, 1.0, 300, dtype=np.float32)[:, None]
        self.assertIn("lit in part only", self.judged(encoded(light), encoded(light), encoded(half))[2] or "")

    def test_a_first_frame_that_is_dark_is_told_by_the_second(self) -> None:
        light = scene()
        told = self.judged(encoded(light, -4.0), encoded(light), encoded(light))
        self.assertRegex(told[0] or "", r"^is 4\.0 stops darker")
        self.assertEqual(told[1:], [None, None])

    def test_a_flash_that_flickers_and_light_that_fades_are_no_faults(self) -> None:
        light = scene()
        flicker = np.random.default_rng(3).normal(0.0, 0.15, 40)
        self.assertEqual(set(self.judged(*(encoded(light, float(stops)) for stops in flicker))), {None})
        fading = np.linspace(0.0, -3.0, 40)
        self.assertEqual(set(self.judged(*(encoded(light, float(stops)) for stops in fading))), {None})

    def test_a_change_that_stays_is_how_the_light_is_from_there_and_no_frame_is_lost(self) -> None:
        light = scene()
        changed = [*(encoded(light) for _ in range(4)), *(encoded(light, -2.0) for _ in range(5))]
        self.assertEqual(self.judged(*changed), [None] * 9)
        misfire = encoded(light, -5.0)
        told = self.judged(*changed[:4], misfire, *changed[4:])
        self.assertEqual([i for i, reason in enumerate(told) if reason], [4])

    def test_faults_at_the_end_leave(self) -> None:
        light = scene()
        told = self.judged(encoded(light), encoded(light), encoded(light, -3.0), encoded(light, -3.0))
        self.assertEqual([reason is None for reason in told], [True, True, False, False])

    def test_a_single_frame_is_fit(self) -> None:
        self.assertEqual(self.judged(encoded(scene())), [None])

    def test_what_goes_out_of_focus_is_no_fault(self) -> None:
        light = np.full((300, 400), 0.004, np.float32)
        cv2.circle(light, (150, 150), 12, 0.9, -1)
        sweep = [
            encoded(np.asarray(cv2.GaussianBlur(light, (0, 0), 0.5 + abs(at)), np.float32)) for at in range(-20, 21)
        ]
        self.assertEqual(set(self.judged(*sweep)), {None})

    def test_where_all_is_black_nothing_is_told(self) -> None:
        black = np.zeros((60, 80), np.float32)
        self.assertEqual(self.judged(black, black, black), [None, None, None])


if __name__ == "__main__":
    unittest.main()
