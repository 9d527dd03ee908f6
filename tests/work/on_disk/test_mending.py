import json
import shutil
import tempfile
import unittest
from pathlib import Path
from typing import Any, ClassVar

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray
from pydantic import ValidationError

from amber_ladder.core.frames import no_progress
from amber_ladder.core.mending import Kind
from amber_ladder.errors import BadInput
from amber_ladder.formats.mend_json import StepsJson
from amber_ladder.formats.pictures import read_picture
from amber_ladder.formats.profiles import srgb_profile
from amber_ladder.formats.results import write_composite, write_depth
from amber_ladder.simulated.jpeg import encode_jpeg
from amber_ladder.work.on_disk.mending import mend_folder
from amber_ladder.work.on_disk.merge_settings import MergeSettings
from amber_ladder.work.on_disk.merging import merge_folder
from tests.support.stacks import shot

PATH = [[300.0, 200.0], [380.0, 240.0]]


class Mending(unittest.TestCase):
    """On one merge of a simulated stack, made once."""

    home: ClassVar[Path]
    frames: ClassVar[Path]
    merged: ClassVar[NDArray[Any]]

    @classmethod
    def setUpClass(cls) -> None:
        scratch = tempfile.TemporaryDirectory()
        cls.addClassCleanup(scratch.cleanup)
        cls.home = Path(scratch.name)
        cls.frames = cls.home / "frames"
        cls.frames.mkdir()
        stack = shot("lacewing-eyes").frames.pictures[4:16]
        for at, picture in enumerate(stack):
            (cls.frames / f"f{at:02d}.jpg").write_bytes(encode_jpeg(picture, captured_at=None))
        settings = MergeSettings(method="select", step_um=18.0, um_per_px=1.0, exclude=("f11.jpg",))
        merge_folder(cls.frames, cls.home / "merge", settings, no_progress)
        cls.merged = tifffile.imread(cls.home / "merge" / "composite.tif")

    def setUp(self) -> None:
        self.out = self.home / self.id().rpartition(".")[2]

    def mend(self, *steps: dict[str, Any], out: Path | None = None) -> dict[str, Any]:
        asked = StepsJson.model_validate({"steps": list(steps)}).steps
        return mend_folder(self.home / "merge", asked, self.frames, out or self.out, no_progress)

    def refused(self, *steps: dict[str, Any]) -> str:
        with self.assertRaises(BadInput) as caught:
            self.mend(*steps)
        self.assertFalse(self.out.exists())
        return str(caught.exception)

    def refused_at(self, step: dict[str, Any]) -> str:
        """The same, beside results that are there already."""
        with self.assertRaises(BadInput) as caught:
            self.mend(step, out=self.home / "never")
        return str(caught.exception)

    def read(self, name: str, out: Path | None = None) -> Any:
        return tifffile.imread((out or self.out) / name)

    def test_paint_is_laid_marked_and_told_and_all_else_is_the_merge_to_the_byte(self) -> None:
        report = self.mend({"kind": "from_frame", "file": "f03.jpg", "path": PATH, "radius_px": 30})
        picture, kinds = self.read("composite.tif"), self.read("changed.tif")
        self.assertTrue((picture[kinds == 0] == self.merged[kinds == 0]).all())
        self.assertTrue((picture[kinds == 1] != self.merged[kinds == 1]).any())
        self.assertEqual(set(np.unique(kinds)), {0, 1})
        self.assertAlmostEqual(report["changed"]["frame"], float((kinds == 1).mean()), places=5)
        (step,) = report["steps"]
        self.assertTrue(step["aligned"])
        self.assertLess(np.hypot(*step["shift_px"]), 0.5)  # the merge laid it well already
        self.assertEqual(json.loads((self.out / "report.json").read_text()), json.loads(json.dumps(report)))
        with tifffile.TiffFile(self.out / "composite.tif") as file:
            across, per = file.pages.first.tags["XResolution"].value
        self.assertEqual(across / per, 1e4)  # px per cm at 1 µm a px

    def test_the_same_steps_give_the_same_bytes_and_one_that_is_off_is_none(self) -> None:
        steps = [
            {"kind": "from_frame", "file": "f03.jpg", "path": PATH, "radius_px": 30},
            {"kind": "heal", "path": [[500, 300]], "radius_px": 15, "from": [540, 320]},
            {"kind": "erase", "path": [[310, 205]], "radius_px": 12},
            {"kind": "sharpen", "radius_px": 1.5, "amount": 0.5},
        ]
        off = {"kind": "from_frame", "file": "f07.jpg", "path": [[200, 100]], "radius_px": 40, "off": True}
        first, again, without = (self.home / f"same{at}" for at in range(3))
        self.mend(*steps, out=first)
        self.mend(*steps, out=again)
        report = self.mend(steps[0], off, *steps[1:], out=without)
        whole = (first / "composite.tif").read_bytes()
        self.assertEqual(whole, (again / "composite.tif").read_bytes())
        self.assertEqual(whole, (without / "composite.tif").read_bytes())
        self.assertTrue(report["steps"][1]["off"])
        self.assertGreater(report["not_evidence"], 0)
        self.assertTrue(report["steps"][2]["not_evidence"])

    def test_paint_from_another_merge_of_the_same_frames(self) -> None:
        other = self.home / "pyramid"
        merge_folder(self.frames, other, MergeSettings(method="pyramid", exclude=("f11.jpg",)), no_progress)
        self.mend({"kind": "from_merge", "merge": str(other), "path": PATH, "radius_px": 30, "softness": 0,
                   "strength": 1, "align": False})  # fmt: skip
        there = tifffile.imread(other / "composite.tif")
        self.assertEqual(self.read("composite.tif")[220, 340].tolist(), there[220, 340].tolist())

    def test_a_merge_of_other_frames_that_are_called_the_same_is_refused(self) -> None:
        frames = self.home / "other frames"
        frames.mkdir()
        for at, picture in enumerate(shot("moss-capsule").frames.pictures[4:16]):
            (frames / f"f{at:02d}.jpg").write_bytes(encode_jpeg(picture, captured_at=None))
        merge_folder(frames, self.home / "other", MergeSettings(method="select"), no_progress)
        step = {"kind": "from_merge", "merge": str(self.home / "other"), "path": PATH, "radius_px": 30}
        self.assertIn("shows something else than this merge", self.refused(step))

    def test_sixteen_bits_profile_and_scale_are_carried(self) -> None:
        deep = self.home / "deep"
        deep.mkdir()
        for at in range(5):
            picture = read_picture(self.frames / f"f{at + 3:02d}.jpg").astype(np.uint16) * 257
            write_composite(deep / f"d{at}.tif", picture, colour_profile=srgb_profile())
        merge_folder(deep, self.home / "deep-merge", MergeSettings(um_per_px=0.5, method="select"), no_progress)
        asked = StepsJson.model_validate({"steps": [
            {"kind": "from_frame", "file": "d2.tif", "path": PATH, "radius_px": 20, "softness": 0, "strength": 1},
            {"kind": "crop", "x": 10, "y": 20, "width": 600, "height": 400},
        ]}).steps  # fmt: skip
        report = mend_folder(self.home / "deep-merge", asked, deep, self.out, no_progress)
        with tifffile.TiffFile(self.out / "composite.tif") as file:
            self.assertEqual(file.asarray().dtype, np.uint16)
            self.assertEqual(file.asarray().shape, (400, 600, 3))
            self.assertEqual(file.pages.first.iccprofile, srgb_profile())
        self.assertEqual(self.read("changed.tif").shape, self.merged.shape[:2])
        self.assertEqual(report["scale"]["um_per_px"], 0.5)
        self.assertAlmostEqual(report["lost_by_crop"], 1 - 600 * 400 / self.merged[..., 0].size, places=4)

    def test_a_ground_is_refined_by_strokes_that_add_and_take_away(self) -> None:
        ground = {"kind": "ground", "farther_than_um": 120.0, "feather_px": 0}
        self.mend(ground)
        was = self.read("changed.tif") == Kind.GROUND
        inside, outside = (
            np.argwhere(cv2.erode(one.astype(np.uint8), np.ones((41, 41))) > 0)[0] for one in (was, ~was)
        )
        strokes = [
            {"path": [[float(at[1]), float(at[0])]], "radius_px": 10, "softness": 0, "ground": adds}
            for at, adds in ((inside, False), (outside, True))
        ]
        self.mend({**ground, "refined": strokes}, out=self.out.with_name("refined"))
        now = self.read("changed.tif", self.out.with_name("refined")) == Kind.GROUND
        picture = self.read("composite.tif", self.out.with_name("refined"))
        self.assertFalse(now[tuple(inside)])
        np.testing.assert_array_equal(picture[tuple(inside)], self.merged[tuple(inside)])
        self.assertTrue(now[tuple(outside)])
        self.assertEqual(int(picture[tuple(outside)].max()), 0)
        changed = np.argwhere(now != was)
        off = np.minimum(*(np.hypot(*(changed - at).T) for at in (inside, outside)))
        self.assertLessEqual(float(off.max()), 12.0)

    def test_a_ground_farther_than_anything_known_says_so(self) -> None:
        near, far = (
            self.mend({"kind": "ground", "farther_than_um": um}, out=self.out.with_name(f"ground{um:g}"))["steps"][0]
            for um in (120.0, 90_000.0)
        )
        self.assertNotIn("note", near)
        self.assertIn("nothing is known to lie farther than 90000 µm", far["note"])

    def test_a_plain_ground_is_what_has_no_depth_and_shows_nothing(self) -> None:
        self.mend({"kind": "ground", "plain": True, "feather_px": 0})
        known = np.isfinite(self.read("depth.tif", self.home / "merge"))
        ground = self.read("changed.tif") == Kind.GROUND
        self.assertGreater(float(ground.mean()), 0.1)
        # Beside an edge a depth map tells too much: farther within what it knows nothing is ground.
        self.assertFalse(ground[cv2.erode(known.astype(np.uint8), np.ones((25, 25))) > 0].any())
        told = self.home / "told"
        shutil.copytree(self.home / "merge", told)
        write_depth(told / "depth.tif", np.full(known.shape, 100.0, np.float32), unit="µm")
        asked = StepsJson.model_validate({"steps": [{"kind": "ground", "plain": True}]}).steps
        with self.assertRaisesRegex(BadInput, "nothing is plain and without a depth here"):
            mend_folder(told, asked, self.frames, self.home / "none", no_progress)
        self.assertFalse((self.home / "none").exists())

    def test_a_ground_is_told_in_one_way(self) -> None:
        for way in ({"plain": True, "farther_than_um": 120.0}, {}):
            with self.subTest(way), self.assertRaisesRegex(ValueError, "name one of farther_than_um, plain and like"):
                self.mend({"kind": "ground", **way})

    def test_dust_and_ground_are_told_from_frames_and_depth(self) -> None:
        report = self.mend({"kind": "dust"}, {"kind": "ground", "farther_than_um": 120.0, "to": [0.2, 0.2, 0.2]})
        self.assertEqual(report["steps"][0]["spots"], [])  # a clean sensor
        self.assertGreater(report["steps"][0]["widest_told_px"], 2.0)
        self.assertGreater(report["changed"]["ground"], 0.05)
        picture, kinds = self.read("composite.tif"), self.read("changed.tif")
        self.assertLess(float(np.abs(picture[kinds == 4].astype(float) - 51).mean()), 30)

    def test_the_best_frame_for_a_part_is_chosen_and_told(self) -> None:
        report = self.mend({"kind": "from_frame", "file": "best", "path": [[200, 150], [330, 240]], "radius_px": 12})
        chosen = report["steps"][0]["chosen"]
        self.assertEqual(chosen["detail"][chosen["file"]], 1.0)
        self.assertEqual((chosen["path"][0], chosen["path"][-1]), ([200.0, 150.0], [330.0, 240.0]))
        named = {"kind": "from_frame", "file": chosen["file"], "path": chosen["path"], "radius_px": 12}
        self.mend(named, out=self.home / "named")
        off = self.read("composite.tif").astype(int) - self.read("composite.tif", self.home / "named")
        self.assertLessEqual(int(np.abs(off).max()), 2)  # its path is told to a tenth of a pixel
        self.assertIn("lies outside", self.refused_at({**named, "file": "best", "path": [[1, 1], [9000, 5]]}))
        with self.assertRaises(ValidationError):
            StepsJson.model_validate({"steps": [{**named, "file": "best"}]})

    def test_what_cannot_be_done_is_named_and_nothing_is_written(self) -> None:
        stroke = {"kind": "from_frame", "path": PATH, "radius_px": 20}
        for steps, told in (
            (
                [{**stroke, "file": "f11.jpg"}],
                "step 1 (from_frame): f11.jpg was left out of the merge (left out as asked)",
            ),
            ([{**stroke, "file": "f99.jpg"}], "f99.jpg is not among the frames of this merge"),
            ([{**stroke, "file": "../f03.jpg"}], "is not among the frames"),
            ([{"kind": "erase", "path": [[5000, 10]], "radius_px": 9}], "step 1 (erase): lies outside of the picture"),
            ([{"kind": "heal", "path": [[20, 20]], "radius_px": 9, "from": [2, 2]}], "from beyond the picture"),
            ([{"kind": "crop", "x": 400, "y": 0, "width": 600, "height": 100}], "reaches beyond the picture"),
            (
                [{"kind": "crop", "x": 0, "y": 0, "width": 60, "height": 60}, {"kind": "tone"}],
                "step 2 (tone): stands beh",
            ),
            (
                [{"kind": "from_merge", "merge": str(self.frames), "path": PATH, "radius_px": 9}],
                "not the result of a merge",
            ),
        ):
            with self.subTest(told):
                self.assertIn(told, self.refused(*steps))

    def test_frames_that_are_gone_or_others_by_now_are_named(self) -> None:
        moved = self.frames / "f05.jpg"
        content = moved.read_bytes()
        step = {"kind": "from_frame", "file": "f05.jpg", "path": PATH, "radius_px": 20}
        try:
            moved.write_bytes(encode_jpeg(np.zeros((96, 96, 3), np.uint8), captured_at=None))
            self.assertIn("f05.jpg is no longer what was merged", self.refused(step))
            moved.write_bytes(content[:2000])
            self.assertIn("f05.jpg", self.refused(step))
            moved.unlink()
            self.assertIn("f05.jpg is not among the originals", self.refused(step))
            self.mend({**step, "off": True})
        finally:
            moved.write_bytes(content)

    def test_a_merge_that_is_damaged_or_none_is_refused(self) -> None:
        other = self.home / "damaged"
        shutil.copytree(self.home / "merge", other)
        asked = StepsJson.model_validate({"steps": []}).steps
        for name, content in (
            ("report.json", b"{}"),
            ("report.json", b"[1]"),
            ("composite.tif", b"II*"),
            ("depth.tif", None),
        ):
            kept = (other / name).read_bytes()
            (other / name).unlink()
            if content is not None:
                (other / name).write_bytes(content)
            with self.subTest(name), self.assertRaisesRegex(BadInput, "damaged merge|is missing"):
                mend_folder(other, asked, self.frames, self.out, no_progress)
            (other / name).write_bytes(kept)
        self.assertFalse(self.out.exists())

    def test_results_do_not_go_into_the_merge_or_the_originals(self) -> None:
        for folder in (self.frames, self.home / "merge"):
            with self.assertRaisesRegex(BadInput, "cannot go into the folder"):
                self.mend({"kind": "tone", "gamma": 1.1}, out=folder)

    def test_steps_of_another_version_or_kind_are_refused_where_they_are_read(self) -> None:
        for content in (
            {"version": 2, "steps": []},
            {"steps": [{"kind": "smear", "path": PATH}]},
            {"steps": [{"kind": "erase", "path": [], "radius_px": 5}]},
            {"steps": [{"kind": "from_frame", "file": "", "path": PATH, "radius_px": 5}]},
            {"steps": [{"kind": "erase", "path": [[float("nan"), 1]], "radius_px": 5}]},
            {"steps": [{"kind": "tone", "black": 0.6, "white": 0.5}]},
            {"steps": [{"kind": "ground", "to": "black"}]},
            {"steps": [{"kind": "erase", "path": PATH, "radius_px": 5, "colour": "red"}]},
        ):
            with self.subTest(content), self.assertRaises(ValidationError):
                StepsJson.model_validate(content)


if __name__ == "__main__":
    unittest.main()
