"""What the frames of a series tell of how far focus moved between them."""

import unittest

import cv2
import numpy as np

from amber_ladder.core.sorting import Shot
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.work.practice.stand import simulated_stand
from amber_ladder.work.shoot.picture_watch import PictureWatch
from tests.support.examples import RIG

_RIG = RigJson.model_validate({key: value for key, value in RIG.items() if key != "name"})
STEP_UM, RUNGS = 14.0, 22


class Watching(unittest.TestCase):
    def watched(self, positions_um: list[float], seed: int = 1, apart: int | None = None) -> PictureWatch:
        stand, watch = simulated_stand(_RIG, "garnet", near_um=0.0, seed=seed), PictureWatch()
        for number, at_um in enumerate(positions_um):
            stand.move_to(at_um)
            picture = cv2.imdecode(np.frombuffer(stand.expose().content, np.uint8), cv2.IMREAD_COLOR_RGB)
            assert picture is not None
            if number == apart:
                watch.apart()
            watch.add(np.asarray(picture, np.uint8), Shot(f"f{number}.jpg", 384, 256, 8))
        return watch

    def test_an_even_series_is_not_doubted(self) -> None:
        watch = self.watched([n * STEP_UM for n in range(RUNGS)])
        self.assertEqual((watch.same, watch.passed), (set(), {}))

    def test_rungs_that_were_passed_over_and_focus_that_stayed_are_found_where_they_are(self) -> None:
        even = [n * STEP_UM for n in range(RUNGS)]
        for missing in (1, 2):
            with self.subTest(missing=missing):
                watch = self.watched([*even[:7], *even[7 + missing : 14], even[13], *even[14:]])
                self.assertEqual(set(watch.passed), {7})
                self.assertAlmostEqual(watch.passed[7], missing, delta=missing - 1)  # more than one: about how many
                self.assertEqual(watch.same, {14 - missing})

    def test_a_leap_that_is_known_is_no_doubt(self) -> None:
        even = [n * STEP_UM for n in range(RUNGS)]
        self.assertEqual(self.watched([*even[:7], *even[9:]]).passed.keys(), {7})
        watch = self.watched([*even[:7], *even[9:]], apart=7)
        self.assertEqual((watch.same, watch.passed), (set(), {}))

    def test_what_was_seen_to_is_doubted_no_more_and_what_was_shot_again_tells_nothing(self) -> None:
        even = [n * STEP_UM for n in range(RUNGS)]
        watch = self.watched([*even[:7], *even[8:14], even[13], *even[14:]])
        watch.settle(7)
        self.assertEqual(watch.passed, {})
        watch.drop(13)
        self.assertEqual(watch.same, set())
        for _ in range(5):
            watch.drop_last()
        self.assertEqual((watch.same, watch.passed), (set(), {}))


if __name__ == "__main__":
    unittest.main()
