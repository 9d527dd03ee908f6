"""Measures on merges of simulated stacks whose surfaces are known by their formula."""

import shutil
import tempfile
import unittest
from math import degrees, sqrt
from pathlib import Path
from typing import Any, ClassVar

import numpy as np

from amber_ladder.errors import BadInput
from amber_ladder.formats.measures_json import FocusedBy, MeasuresJson, ScaleJson
from amber_ladder.formats.results import read_depth, write_depth, write_json
from amber_ladder.work.on_disk.measuring import Known, instrument_of, measure_folder
from amber_ladder.work.on_disk.merge_result import MergeResult, read_merge
from benchmarks.shapes import BALL_UM, CONDITIONS, FACES, PIT_DEEP_UM, PIT_UM, Subject

TURNS = np.arange(24) * 2 * np.pi / 24


def ring(subject: Subject, radius_um: float, x_um: float = 0.0, y_um: float = 0.0) -> list[list[float]]:
    """A round outline, px."""
    places = subject.px(x_um + radius_um * np.cos(TURNS), y_um + radius_um * np.sin(TURNS))
    return [[float(x), float(y)] for x, y in places]


def told(subject: Subject, *measures: dict[str, Any], **known: Any) -> list[dict[str, Any]]:
    """Measures of a subject, with its true scale."""
    scale = {"um_per_px": subject.um_per_px, "u_um_per_px": 0.002 * subject.um_per_px}
    entry = {"scale": scale, "focused_by": "rail", **known, "measures": list(measures)}
    return list(measure_folder(subject.folder, MeasuresJson.model_validate(entry))["measures"])


class WhatIsKnown(unittest.TestCase):
    """What a merge's report tells of its scale over depth, and what is assumed where it tells nothing."""

    def known(self, focused_by: FocusedBy = "unknown", **report: Any) -> Known:
        frames = [{"file": f"f{i}.jpg", "depth": 20.0 * i, "u_px": 0.1 * i, "matrix": [[1, 0, 0], [0, 1, 0]]}
                  for i in range(4)]  # fmt: skip
        whole = {"registration": frames, "reference_frame": "f2.jpg", "settings": {"depth_unit": "µm"},
                 "growth": {"per_mm": 0.02, "u_per_mm": 0.001, "limits_per_mm": [-0.03, 0.03]},
                 "scale": {"um_per_px": 0.5, "u_um_per_px": 0.001, "source": "measured"}, **report}  # fmt: skip
        merge = MergeResult(Path("/nowhere"), np.zeros((30, 40, 3), np.uint8), whole)
        return instrument_of(merge, scale=None, medium=None, focused_by=focused_by)

    def test_on_a_rail_the_scale_follows_what_the_alignment_saw(self) -> None:
        growth = self.known("rail").instrument.growth
        self.assertEqual((growth.per_um, growth.u_per_um, growth.at_um), (2e-5, 1e-6, 40.0))

    def test_a_focus_ring_tells_nothing_so_the_optics_bound_it(self) -> None:
        known = self.known("ring")
        self.assertAlmostEqual(known.instrument.growth.per_um, 1.5e-5)
        self.assertAlmostEqual(known.instrument.growth.u_per_um, 3e-5 / sqrt(12))
        self.assertIn("0 to 3.0%", " ".join(known.assumed) + " ".join(self.assumed_with_depth("ring")))

    def assumed_with_depth(self, focused_by: FocusedBy) -> tuple[str, ...]:
        """What is assumed of a merge that has a depth map."""
        with tempfile.TemporaryDirectory() as scratch:
            folder, merge = Path(scratch), self.known(focused_by)
            for name in ("depth.tif", "depth_u.tif"):
                write_depth(folder / name, np.full((30, 40), 9.0, np.float32), unit="µm")
            report = {"registration": [{"depth": 0.0, "file": "a"}, {"depth": 20.0, "file": "b"}],
                      "settings": {"depth_unit": "µm"}, "reference_frame": "a",
                      "growth": {"per_mm": 0.02, "u_per_mm": 0.001, "limits_per_mm": [-0.03, 0.03]}}  # fmt: skip
            with_depth = MergeResult(folder, np.zeros((30, 40, 3), np.uint8), report)
            scale = ScaleJson(um_per_px=merge.instrument.um_per_px)
            return instrument_of(with_depth, scale=scale, medium=None, focused_by=focused_by).assumed

    def test_where_nobody_says_which_it_lies_between_both(self) -> None:
        growth = self.known().instrument.growth
        self.assertAlmostEqual(growth.per_um, 1e-5)
        # The rail's own figure, and none at all, both lie within twice the uncertainty.
        self.assertLess(abs(2e-5 - growth.per_um), 2 * growth.u_per_um)
        self.assertLess(growth.per_um, 2 * growth.u_per_um)
        self.assertIn("whether rail or ring", " ".join(self.assumed_with_depth("unknown")))

    def test_a_merge_that_says_nothing_of_growth_is_said_to(self) -> None:
        self.assertEqual(self.known("rail", growth=None).instrument.growth.per_um, 0.0)

    def test_scale_and_where_it_comes_from(self) -> None:
        known = self.known()
        self.assertAlmostEqual(known.instrument.u_scale, 0.002)
        self.assertEqual(known.scale_from, "measured")
        nominal = self.known(scale={"um_per_px": 0.5, "u_um_per_px": None, "source": "computed from the rig"})
        self.assertAlmostEqual(nominal.instrument.u_scale, 0.05 / sqrt(3))
        self.assertIn("nominal", nominal.assumed[0])

    def test_how_uncertain_a_depth_lies_aside_has_the_sign_of_its_side_of_the_reference(self) -> None:
        aside = self.known().instrument.aside
        assert aside is not None
        np.testing.assert_allclose(aside(np.array([0.0, 30.0, 60.0])), [0.0, 0.15, 0.3], atol=1e-9)

    def test_a_rail_that_runs_aslant_is_seen_in_the_frames_and_taken_off_depth(self) -> None:
        with tempfile.TemporaryDirectory() as scratch:
            folder = Path(scratch)
            for name in ("depth.tif", "depth_u.tif"):
                write_depth(folder / name, np.full((30, 40), 200.0, np.float32), unit="µm")
            per_um = np.tan(np.deg2rad(6.0)) / 0.5
            frames = [{"file": f"f{i}", "depth": 20.0 * i, "u_px": 0.1, "matrix": [[1, 0, 20.0 * i * per_um], [0, 1, 0]]}
                      for i in range(20)]  # fmt: skip
            report = {"registration": frames, "settings": {"depth_unit": "µm"}, "reference_frame": "f0",
                      "growth": {"per_mm": 0.0, "u_per_mm": 0.0}}  # fmt: skip
            merge = MergeResult(folder, np.zeros((30, 40, 3), np.uint8), report)
            scale = ScaleJson(um_per_px=0.5, u_um_per_px=0.001)
            rail, ring = (instrument_of(merge, scale=scale, medium=None, focused_by=by) for by in ("rail", "ring"))
        self.assertAlmostEqual(rail.instrument.tilt_deg, 6.0, places=3)
        self.assertIn("6.00° ± 0.00° aslant", rail.found[0])
        self.assertNotIn("optical axis", " ".join(rail.assumed))
        # A ring moves no rail: what goes aside there tells nothing.
        self.assertEqual((ring.instrument.tilt_deg, ring.found), (0.0, ()))
        self.assertIn("focus moves along the optical axis to 1°", ring.assumed)

    def test_without_a_depth_map_nothing_is_known_of_depth(self) -> None:
        self.assertIsNone(self.known().instrument.depth_um)


class KnownAnswers(unittest.TestCase):
    home: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        scratch = tempfile.TemporaryDirectory(prefix="amber-ladder-measuring-")
        cls.addClassCleanup(scratch.cleanup)
        cls.home = Path(scratch.name)

    def subject(self, name: str) -> Subject:
        return Subject(name, CONDITIONS["usual"], 8, self.home / name)

    def lies_within(self, measured: dict[str, Any], truth: float) -> None:
        """The truth lies within what is stated."""
        self.assertLessEqual(abs(measured["value"] - truth), measured["U"], measured)

    def test_radius_of_a_sphere_from_a_cap_to_1_percent(self) -> None:
        ball = self.subject("ball")
        (cap,) = told(ball, {"kind": "sphere", "points": ring(ball, 280)})
        self.assertLess(abs(cap["value"] / BALL_UM - 1), 0.01)
        self.lies_within(cap, BALL_UM)

    def test_dihedral_angle_to_half_a_degree_and_the_slopes_of_faces(self) -> None:
        crystal = self.subject("faces")
        outlines = [ring(crystal, 75, *(175 * np.array(f) / np.linalg.norm(f))) for f in FACES]
        normals = [np.array([*f, -1]) / np.linalg.norm([*f, -1]) for f in FACES]
        for one, two in ((0, 1), (1, 2), (0, 2)):
            truth = degrees(np.arccos(normals[one] @ normals[two]))
            (angle,) = told(crystal, {"kind": "dihedral", "points": outlines[one], "points_b": outlines[two]})
            self.assertLess(abs(angle["value"] - truth), 0.5)
            self.lies_within(angle, truth)

    def test_length_along_a_ramp_of_45_degrees_to_half_a_percent(self) -> None:
        ramp = self.subject("ramp")
        lines = [[[float(v) for v in one] for one in ramp.px([-170, 170], [y, y])] for y in (-160, -80, 0, 80, 160)]
        values = told(ramp, *({"kind": "length_surface", "points": line} for line in lines))
        given = [one for one in values if one["value"] is not None]
        self.assertGreaterEqual(len(given), 3, values)
        truth = 340 * sqrt(2)
        self.assertLess(abs(float(np.mean([one["value"] for one in given])) / truth - 1), 0.005)
        for one in given:
            self.lies_within(one, truth)

    def test_volume_of_a_pit_to_3_percent(self) -> None:
        pit = self.subject("pit")
        truth = np.pi * PIT_UM**2 * PIT_DEEP_UM / 3
        (hole,) = told(pit, {"kind": "volume", "points": ring(pit, 185)})
        self.assertLess(abs(hole["value"] / truth - 1), 0.03)
        self.lies_within(hole, truth)

        with self.subTest("a value is rounded to its uncertainty, which opens to its parts"):
            self.assertAlmostEqual(sum(hole["parts"].values()), 1.0, places=4)
            self.assertEqual(set(hole["parts"]), {"scale", "pick", "depth", "index", "projection"})
            self.assertEqual(float(f"{hole['U']:.2g}"), hole["U"])
        with self.subTest("in a medium of which the index is badly known"):
            medium = {"index": 1.33, "u_index": 0.02}
            (doubtful,) = told(pit, {"kind": "volume", "points": ring(pit, 185)}, medium=medium)
            self.assertGreater(doubtful["parts"]["index"], 0.5)
            self.assertGreater(doubtful["U"], 2 * 0.02 / 1.33 * doubtful["value"])
        with self.subTest("a scale that nobody measured is said to be nominal, and costs 5 %"):
            line = {"kind": "length", "points": [[300, 300], [400, 300]]}
            whole = measure_folder(pit.folder, MeasuresJson.model_validate({"measures": [line]}))
            self.assertIn("nominal", " ".join(whole["assumed"]))
            self.assertGreater(whole["measures"][0]["U"] / whole["measures"][0]["value"], 0.05)
        self._refusals(pit)

    def _refusals(self, pit: Subject) -> None:
        line = MeasuresJson.model_validate({"measures": [{"kind": "length_3d", "points": [[300, 300], [400, 300]]}]})
        copy = self.home / "copy"
        shutil.copytree(pit.folder, copy)
        report = read_merge(copy).report
        with self.subTest("no scale"):
            write_json(copy / "report.json", {**report, "scale": None})
            with self.assertRaisesRegex(BadInput, "no scale is known"):
                measure_folder(copy, line)
        with self.subTest("depth in frames is no depth"):
            write_json(copy / "report.json", {**report, "settings": {**report["settings"], "depth_unit": "frames"}})
            with self.assertRaisesRegex(BadInput, r"measure 1 \(length_3d\): nothing is known of depth"):
                measure_folder(copy, line)
        with self.subTest("a depth map of another picture"):
            write_json(copy / "report.json", report)
            write_depth(copy / "depth.tif", read_depth(pit.folder / "depth.tif")[:100], unit="µm")
            with self.assertRaisesRegex(BadInput, "differ in size"):
                measure_folder(copy, line)


if __name__ == "__main__":
    unittest.main()
