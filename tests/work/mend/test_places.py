"""The places of a merge to look at: which, in which order, and how much of the picture they touch."""

import unittest
from typing import Any

from amber_ladder.core.optics import airy_blur, airy_disc_um
from amber_ladder.work.mend.places import places_of, share_of


def finding(kind: str, x: int, y: int, width: int, height: int) -> dict[str, Any]:
    return {"kind": kind, "x": x, "y": y, "width": width, "height": height, "size": 20.0, "unit": "µm", "do": "look",
            "files": []}  # fmt: skip


REPORT = {
    "crop": {"x": 0, "y": 0, "width": 400, "height": 300},
    "findings": [
        finding("streak", 10, 10, 8, 8),
        finding("gap", 0, 0, 100, 100),
        finding("dust", 100, 100, 20, 20),
        finding("moved", 200, 100, 40, 40),
        finding("noise", 0, 0, 400, 300),
        finding("dust", 300, 20, 40, 40),
        finding("moved", 0, 0, 399, 299),
    ],
}


class Places(unittest.TestCase):
    def test_what_spoils_most_comes_first_and_what_cannot_be_mended_is_none(self) -> None:
        found = places_of(REPORT, {})
        self.assertEqual(
            [(one.kind, one.x) for one in found], [("moved", 200), ("dust", 300), ("dust", 100), ("streak", 10)]
        )
        self.assertEqual({one.state for one in found}, {"open"})

    def test_how_a_place_was_left_is_kept_by_its_name(self) -> None:
        first = places_of(REPORT, {})[0]
        again = places_of(REPORT, {first.key: "fine", "moved-1-1-1-1": "mended"})
        self.assertEqual([one.state for one in again], ["fine", "open", "open", "open"])

    def test_a_merge_of_an_earlier_version_has_none(self) -> None:
        self.assertEqual(places_of({"crop": REPORT["crop"]}, {}), [])
        self.assertEqual(share_of([], 400, 300), 0.0)

    def test_what_lies_over_each_other_is_counted_once(self) -> None:
        report = {**REPORT, "findings": [finding("dust", 100, 100, 40, 40), finding("moved", 120, 100, 40, 40)]}
        self.assertAlmostEqual(share_of(places_of(report, {}), 400, 300), 60 * 40 / (400 * 300), places=6)

    def test_how_far_the_airy_disc_blurs(self) -> None:
        """0.21 λ / NA: 0.55 µm through NA 0.14 at the specimen, five times that on a sensor at 5×."""
        self.assertAlmostEqual(airy_blur(airy_disc_um(5 / (2 * 0.14), 550.0)), 5 * 0.21 * 0.55 / 0.14, places=9)


if __name__ == "__main__":
    unittest.main()
