"""What a plan would give, before anything is shot: told apart as optics say."""

import base64
import unittest
from typing import Any

import cv2
import numpy as np

from amber_ladder.errors import BadInput
from amber_ladder.work.practice.look import LookEntry, LookView, look
from tests.support.examples import RIG

_LENS = {
    "sensor": {"width_px": 3000, "height_px": 2000, "pixel_um": 4.0},
    "train": {"kind": "lens", "f_number": 2.8, "magnification": 5, "focal_mm": 65},
}
_PLAN = {"near_um": 0, "far_um": 600, "overlap": 0.3}


class Looking(unittest.TestCase):
    def seen(self, **entry: Any) -> LookView:
        return look(
            LookEntry.model_validate({"rig": _LENS, "plan": _PLAN, "kind": "mineral", "name": "garnet", **entry})
        )

    def test_more_overlap_is_sharper_at_the_worst_place_and_the_plans_own_is_the_planned_one(self) -> None:
        overlaps = [self.seen(overlap=one) for one in (0.0, 0.3, 0.6)]
        self.assertLess(overlaps[0].blur_db + 0.5, overlaps[1].blur_db)
        self.assertLess(overlaps[1].blur_db + 0.5, overlaps[2].blur_db)
        self.assertEqual(self.seen().step_um, overlaps[1].step_um)
        # Halfway between two rungs: half a step is as far off as a place can be.
        self.assertEqual([one.off_um for one in overlaps], [0.5 * (one.step_um or 0.0) for one in overlaps])

    def test_closed_further_shows_less_detail_and_one_frame_the_least(self) -> None:
        own, closed, single = self.seen(), self.seen(marked_f_number=8.0), self.seen(marked_f_number=8.0, single=True)
        self.assertGreater(closed.effective_f_number, 2 * own.effective_f_number)
        self.assertGreater(own.blur_db, closed.blur_db + 6.0)
        self.assertGreater(closed.blur_db, single.blur_db + 3.0)
        self.assertEqual((single.frames, single.step_um, single.off_um), (1, None, 300.0))

    def test_it_is_a_picture_at_one_to_one_and_the_same_for_the_same(self) -> None:
        seen = self.seen()
        picture = cv2.imdecode(np.frombuffer(base64.b64decode(seen.jpeg), np.uint8), cv2.IMREAD_COLOR)
        assert picture is not None
        self.assertEqual(picture.shape, (seen.side_px, seen.side_px, 3))
        self.assertIs(self.seen(), seen)

    def test_a_rig_without_an_iris_cannot_be_closed(self) -> None:
        rig = {key: value for key, value in RIG.items() if key != "name"}
        rig["train"] = {**rig["train"], "kind": "finite_objective"}
        with self.assertRaisesRegex(BadInput, "no iris"):
            self.seen(rig=rig, marked_f_number=8.0)


if __name__ == "__main__":
    unittest.main()
