"""The scale from something of known size in the picture, on merges of simulated stacks: what is measured with it is true."""

import shutil
import tempfile
import unittest
from pathlib import Path
from typing import Any, ClassVar

from pydantic import ValidationError

from amber_ladder.errors import BadInput
from amber_ladder.formats.measures_json import MeasuresJson
from amber_ladder.work.on_disk.measuring import measure_folder
from benchmarks.shapes import COIN_ASLANT, COIN_UM, CONDITIONS, RULED_UM, Subject


class InThePicture(unittest.TestCase):
    folder: ClassVar[Path]
    coin: ClassVar[Subject]
    ruled: ClassVar[Subject]

    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = Path(tempfile.mkdtemp(prefix="amber-ladder-reference-"))
        cls.addClassCleanup(shutil.rmtree, cls.folder)
        cls.coin = Subject("coin", CONDITIONS["perspective"], 5, cls.folder / "coin")
        cls.ruled = Subject("ruled", CONDITIONS["usual"], 5, cls.folder / "ruled")

    def told(self, subject: Subject, reference: dict[str, Any], *measures: dict[str, Any]) -> dict[str, Any]:
        entry = {"reference": reference, "focused_by": "rail", "measures": list(measures)}
        return measure_folder(subject.folder, MeasuresJson.model_validate(entry))

    def length(self, subject: Subject, *places: tuple[float, float]) -> dict[str, Any]:
        points = [subject.px(x, y)[0].tolist() for x, y in places]
        return {"name": "", "kind": "length_3d", "points": points}

    def assert_true(self, measured: dict[str, Any], true_um: float, within: float) -> None:
        self.assertIsNotNone(measured["value"], measured)
        self.assertAlmostEqual(measured["value"] / true_um, 1.0, delta=within)
        self.assertLess(abs(measured["value"] - true_um), measured["U"], measured)

    def test_a_coin_aslant_gives_lengths_far_below_it(self) -> None:
        rim = [(COIN_UM, 0.0), (0.0, COIN_UM / COIN_ASLANT), (-COIN_UM, 0.0), (0.0, -COIN_UM / COIN_ASLANT)]
        points = [self.coin.px(x * 1.01, y * 1.01)[0].tolist() for x, y in rim]
        reference = {"kind": "coin", "points": points, "size_um": 2 * COIN_UM, "tolerance_percent": 0.1}
        ground = self.length(self.coin, (-350.0, -270.0), (-350.0, 270.0))
        out = self.told(self.coin, reference, ground)
        found = out["reference"]
        self.assertIn("aslant by 24°", " ".join(found["notes"]))
        self.assertAlmostEqual(found["depth_um"], 180.0 - self.coin.first_um, delta=6.0)
        self.assert_true(out["measures"][0], 540.0, 0.006)
        self.assertEqual(out["scale"]["um_per_px"], found["um_per_px"])

    def test_a_tilted_ruling_gives_the_true_length_along_it(self) -> None:
        corners = [self.ruled.px(x, y)[0].tolist() for x, y in ((-300.0, -200.0), (300.0, 200.0))]
        reference = {"kind": "ruling", "points": corners, "size_um": RULED_UM, "tolerance_percent": 0.02}
        along = self.length(self.ruled, (-200.0, 0.0), (250.0, 0.0))
        across = self.length(self.ruled, (0.0, -200.0), (0.0, 220.0))
        out = self.told(self.ruled, reference, along, across)
        self.assert_true(out["measures"][0], 450.0 * (1 + 0.42**2) ** 0.5, 0.004)
        self.assert_true(out["measures"][1], 420.0, 0.004)

    def test_two_points_at_different_depths(self) -> None:
        ends = (-250.0, -100.0), (200.0, 150.0)
        points = [self.ruled.px(x, y)[0].tolist() for x, y in ends]
        true_um = (450.0**2 * (1 + 0.42**2) + 250.0**2) ** 0.5
        out = self.told(self.ruled, {"kind": "two_points", "points": points, "size_um": true_um},
                        self.length(self.ruled, (0.0, -200.0), (0.0, 220.0)))  # fmt: skip
        self.assert_true(out["measures"][0], 420.0, 0.004)
        self.assertIn("true to 0.1 %", " ".join(out["reference"]["notes"]))

    def test_refused_in_words(self) -> None:
        reference = {"kind": "ball", "points": [[100, 100], [140, 100], [120, 130]], "size_um": 90.0}
        with self.assertRaisesRegex(BadInput, "rim"):
            self.told(self.ruled, reference)
        with self.assertRaisesRegex(ValidationError, "not both"):
            MeasuresJson.model_validate({"reference": reference, "scale": {"um_per_px": 1.0}, "measures": []})


if __name__ == "__main__":
    unittest.main()
