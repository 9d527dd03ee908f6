"""The command line as scripts call it: plain folders, one line for bad input, exit codes."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import tifffile
from PIL import Image

from amber_ladder.launch.serve import SOURCE
from benchmarks.tiled import OVERLAP
from tests.core.tiles.test_laid import whole
from tests.support.examples import PLAN, RIG, picture
from tests.support.rulings import ruled_slide
from tests.work.on_disk.test_laying import write_merge


def ladder(*arguments: str | Path) -> subprocess.CompletedProcess[str]:
    environment = {k: v for k, v in os.environ.items() if not k.startswith("AMBER_LADDER")}
    return subprocess.run(
        [sys.executable, "-m", "amber_ladder", *map(str, arguments)],
        env={**environment, "PYTHONPATH": str(SOURCE / "src")},
        cwd="/", capture_output=True, text=True, check=False,
    )  # fmt: skip


class CommandLine(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def write(self, name: str, content: dict[str, Any]) -> Path:
        path = self.folder / name
        path.write_text(json.dumps(content))
        return path

    def bad(self, result: subprocess.CompletedProcess[str], *words: str) -> None:
        self.assertEqual((result.returncode, result.stdout), (2, ""), result.stderr)
        self.assertEqual(len(result.stderr.strip().splitlines()), 1, result.stderr)
        for word in words:
            self.assertIn(word, result.stderr)

    def test_optics_and_plan(self) -> None:
        rig = {k: RIG[k] for k in ("sensor", "train")}
        rig["sensor"] = {"width_px": 6000, "height_px": 4000, "pixel_um": 3.76}
        optics = json.loads(ladder("optics", self.write("rig.json", rig)).stdout)
        self.assertAlmostEqual(optics["sharp_depth_um"]["total"], 33.43, delta=0.1)
        self.assertAlmostEqual(optics["field_mm"][0], 4.512)
        planned = json.loads(ladder("plan", self.write("plan.json", {**PLAN, "rig": rig})).stdout)
        self.assertEqual((planned["step_um"], planned["frames"]), (22.5, 12))
        self.assertEqual(len(planned["positions_um"]), 12)

    def test_raw_is_rendered_checked_and_developed(self) -> None:
        plan = {**PLAN, "rig": {k: RIG[k] for k in ("sensor", "train")}}
        shot = ladder(
            "render", "moss-capsule", "--plan", self.write("plan.json", plan), "--out", self.folder / "raw", "--raw"
        )
        self.assertEqual(shot.returncode, 0, shot.stderr)
        checked = json.loads(ladder("check", self.folder / "raw").stdout)
        names = sorted(path.name for path in (self.folder / "raw").glob("*.dng"))
        self.assertEqual(([stack["frames"] for stack in checked["stacks"]], checked["unreadable"]), ([names], []))
        settings = self.write(
            "development.json",
            {"white_balance": {"file": names[0], "x": 60, "y": 60, "size_px": 40}, "exposure_stops": 0.5},
        )
        out = self.folder / "developed"
        told = json.loads(ladder("develop", self.folder / "raw", "--out", out, "--settings", settings).stdout)
        self.assertEqual((told["developed"], told["settings"]["exposure_stops"]), (names, 0.5))
        frames = [tifffile.imread(path) for path in sorted(out.iterdir())]
        self.assertEqual(({frame.dtype.name for frame in frames}, len(frames)), ({"uint16"}, len(names)))
        grey = frames[0][40:80, 40:80].reshape(-1, 3).mean(axis=0)
        self.assertLess(float(grey.max() / grey.min()), 1.02)

    def test_check_and_develop_say_what_is_wrong(self) -> None:
        self.bad(ladder("check", self.folder / "nowhere"), "nowhere", "is not a folder")
        self.bad(ladder("develop", self.folder, "--out", self.folder / "out"), "holds no frame")
        for content, word in (
            ({"exposure_stops": 9}, "exposure_stops"),
            ({"sharpen": 1}, "sharpen"),
            ({"white_balance": "sunny"}, "white_balance"),
            ({"white_balance": {"file": "a.jpg"}}, "white_balance"),
        ):
            with self.subTest(word=word):
                settings = self.write("development.json", content)
                self.bad(ladder("develop", self.folder, "--out", self.folder / "out", "--settings", settings), word)
        self.assertFalse((self.folder / "out").exists())

    def test_render_then_merge(self) -> None:
        plan = {**PLAN, "rig": {k: RIG[k] for k in ("sensor", "train")}}
        shot = ladder(
            "render", "lacewing-eyes", "--plan", self.write("p.json", plan), "--out", self.folder / "f", "--truth"
        )
        self.assertEqual(shot.returncode, 0, shot.stderr)
        truth = json.loads((self.folder / "f/truth.json").read_text())
        self.assertEqual(len(truth["frames"]), 12)
        self.assertEqual(tifffile.imread(self.folder / "f/truth/depth.tif").shape, (256, 384))
        (self.folder / "f/broken.jpg").write_bytes(picture()[:3000])
        before = {p.name: p.read_bytes() for p in (self.folder / "f").glob("*.jpg")}
        merged = ladder(
            "merge", self.folder / "f", "--out", self.folder / "o", "--step-um", "22.5", "--method", "select"
        )
        self.assertEqual((merged.returncode, merged.stderr), (0, ""))
        report = json.loads((self.folder / "o/report.json").read_text())
        for key in (
            "reference_frame", "frames_used", "excluded", "crop", "registration", "coverage", "share", "method",
            "settings", "seconds", "version",
        ):  # fmt: skip
            self.assertIn(key, report)
        self.assertEqual([one["file"] for one in report["excluded"]], ["broken.jpg"])
        self.assertEqual(np.array(report["registration"][0]["matrix"]).shape, (2, 3))
        self.assertEqual(tifffile.imread(self.folder / "o/composite.tif").dtype, np.uint8)
        self.assertEqual(tifffile.imread(self.folder / "o/depth.tif").dtype, np.float32)
        self.assertEqual(before, {p.name: p.read_bytes() for p in (self.folder / "f").glob("*.jpg")})
        self._progress()
        self._mend(report["frames_used"][5])
        self._measure()
        self._export()
        self._package()

    def _progress(self) -> None:
        """Into a pipe it comes while the work is done, not when it is over."""
        command = [sys.executable, "-m", "amber_ladder", "merge", str(self.folder / "f")]
        with subprocess.Popen(
            [*command, "--out", str(self.folder / "again"), "--progress"],
            env={**os.environ, "PYTHONPATH": str(SOURCE / "src")}, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE,
            text=True,
        ) as merging:  # fmt: skip
            assert merging.stderr is not None
            first = merging.stderr.readline()
            self.assertIsNone(merging.poll())
            self.assertFalse((self.folder / "again").exists())
            told = [first, *merging.stderr]
        self.assertEqual(merging.returncode, 0, told)
        self.assertEqual(first, "Aligning and measuring focus: 0 of 24\n")
        self.assertIn("Merging: 12 of 12\n", told)
        self.assertEqual(told[-1], "Saving: 1 of 1\n")

    def _package(self) -> None:
        """All of it in one file, gone through; a flipped byte, and what is no package."""
        out = self.folder / "p.zip"
        label = self.write("label.json", {"catalogue_number": "TH-1", "collected_on": "2026-11"})
        told = ("package", self.folder / "o", "--frames", self.folder / "f", "--out", out, "--label", label)
        done = ladder(*told, "--mend", self.folder / "m", "--measures", self.folder / "measures.json")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        again = ladder("verify", out, "--replay")
        self.assertEqual((again.returncode, again.stderr), (0, ""))
        said = json.loads(again.stdout)
        self.assertEqual((said["ok"], said["faults"], said["replay"]["same"]), (True, [], True))
        content = bytearray(out.read_bytes())
        content[len(content) // 2] ^= 1
        out.write_bytes(content)
        damaged = ladder("verify", out)
        self.assertEqual((damaged.returncode, damaged.stderr), (2, ""))
        self.assertEqual(len(json.loads(damaged.stdout)["faults"]), 1)
        self.bad(ladder("verify", self.folder / "label.json"), "cannot be read as a zip")
        self.bad(ladder(*told[:-1], self.write("l.json", {"collected_on": "May"})), "collected_on")
        self.bad(
            ladder("package", self.folder / "f", "--frames", self.folder / "f", "--out", out),
            "not the result of a merge",
        )

    def _measure(self) -> None:
        """Sizes on it, and what cannot be measured."""
        line = {"name": "eye", "kind": "length", "points": [[100, 100], [160, 180]]}
        entry = {"scale": {"um_per_px": 0.75, "u_um_per_px": 0.003}, "medium": {"index": 1.0}, "pick_px": 0.3}
        asked = {**entry, "measures": [line, {**line, "kind": "profile"}, {**line, "kind": "height"}]}
        done = ladder("measure", self.folder / "o", self.write("measures.json", asked))
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        length, curve, height = json.loads(done.stdout)["measures"]
        self.assertEqual((length["name"], length["kind"], length["unit"], length["k"]), ("eye", "length", "µm", 2.0))
        self.assertAlmostEqual(length["value"], 75.0, delta=0.5)
        # 0.4 % of 75 µm, and 0.3 px at either end, twice.
        self.assertAlmostEqual(length["U"], 2 * float(np.hypot(0.3, np.sqrt(2) * 0.3 * 0.75)), delta=0.15)
        self.assertAlmostEqual(sum(length["parts"].values()), 1.0, delta=0.001)
        self.assertEqual({len(curve[key]) for key in ("along_um", "depth_um", "u_um")}, {101})
        self.assertEqual(height["unit"], "µm")
        told = ("measure", self.folder / "o")
        self.bad(ladder(*told, self.write("a.json", {"measures": [line]})), "no scale is known")
        away = {**asked, "measures": [{**line, "points": [[100, 100], [900, 9]]}]}
        self.bad(ladder(*told, self.write("b.json", away)), "measure 1 (eye)", "900, 9 lies outside")
        self.bad(ladder(*told, self.write("c.json", {"measures": [{**line, "kind": "girth"}]})), "measures.0.kind")
        self.bad(ladder("measure", self.folder / "f", self.write("d.json", asked)), "not the result of a merge")

    def _export(self) -> None:
        """It in another format, and one that nobody knows."""
        told = ("export", self.folder / "o", "--um-per-px", "0.75")
        done = ladder(*told, "--as", "png", "--bar", "--out", self.folder / "o.png")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        with Image.open(self.folder / "o.png") as shown:
            self.assertEqual(shown.size[0], 384)
            self.assertGreater(shown.size[1], 256)
        self.assertEqual(ladder(*told, "--as", "ply", "--out", self.folder / "o.ply").returncode, 0)
        self.assertTrue((self.folder / "o.ply").read_bytes().startswith(b"ply\n"))
        self.assertEqual(ladder(*told, "--as", "vrml", "--out", self.folder / "o.wrl").returncode, 2)

    def _mend(self, file: str) -> None:
        """The same merge, mended, and a step that cannot be done."""
        stroke = {"kind": "from_frame", "file": file, "path": [[200, 120], [230, 140]], "radius_px": 16}
        told = ("mend", self.folder / "o", "--frames", self.folder / "f", "--out", self.folder / "m")
        done = ladder(*told, self.write("steps.json", {"steps": [stroke, {"kind": "tone", "gamma": 1.1}]}))
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        said = json.loads(done.stdout)
        self.assertEqual([one["kind"] for one in said["steps"]], ["from_frame", "tone"])
        self.assertEqual(set(np.unique(tifffile.imread(self.folder / "m/changed.tif"))) - {0}, {1, 5})
        away = ladder(
            *told[:-1], self.folder / "n", self.write("s.json", {"steps": [{**stroke, "file": "broken.jpg"}]})
        )
        self.assertEqual((away.returncode, away.stdout), (2, ""))
        self.assertRegex(away.stderr, r"^ladder: step 1 \(from_frame\): broken.jpg was left out of the merge .*\n$")
        self.assertFalse((self.folder / "n").exists())

    def test_a_merge_takes_what_is_known(self) -> None:
        rig = {k: RIG[k] for k in ("sensor", "train")}
        plan, frames = {**PLAN, "rig": rig}, self.folder / "f"
        ladder("render", "wulfenite", "--plan", self.write("p.json", plan), "--out", frames)
        names = sorted(path.name for path in frames.glob("*.jpg"))
        optics = json.loads(ladder("optics", self.write("rig.json", rig)).stdout)
        # Told out of order, and with a rung that was shot again: positions decide.
        depth = {name: 100.0 + 22.5 * place for place, name in enumerate(names)}
        Image.open(frames / names[4]).save(frames / "z_again.jpg", quality=90)
        known = ("--positions", self.write("at.json", {**depth, "z_again.jpg": depth[names[4]] + 1.0}),
                 "--rig", self.folder / "rig.json")  # fmt: skip
        out = self.folder / "o"
        merged = ladder("merge", frames, "--out", out, *known, "--exclude", names[8], "--exclude", names[0])
        self.assertEqual(merged.returncode, 0, merged.stderr)
        report = json.loads((out / "report.json").read_text())
        self.assertEqual(report["frames_used"], [*names[1:5], "z_again.jpg", *names[5:8], *names[9:]])
        self.assertEqual({one["file"]: one["reason"] for one in report["excluded"]},
                         {names[0]: "left out as asked", names[8]: "left out as asked"})  # fmt: skip
        self.assertAlmostEqual(report["scale"]["um_per_px"], optics["pixel_um"])
        self.assertEqual(report["scale"]["source"], "computed from the rig")
        self.assertAlmostEqual(sum(report["gave"].values()), 1.0, places=3)
        found, u = (tifffile.imread(out / name) for name in ("depth.tif", "depth_u.tif"))
        self.assertLess(float(np.nanmax(found)), depth[names[-1]] - depth[names[1]])
        np.testing.assert_array_equal(np.isfinite(found), np.isfinite(u))
        self.assertTrue(0.5 < float(np.nanmedian(u)) < 10.0)  # µm, of steps of 22.5
        for one in report["findings"]:
            self.assertEqual(set(one), {"kind", "x", "y", "width", "height", "files", "size", "unit", "do"})
        # The same settings give the same bytes.
        ladder("merge", frames, "--out", self.folder / "o2", *known, "--exclude", names[8], "--exclude", names[0])
        for name in ("composite.tif", "depth.tif", "depth_u.tif"):
            self.assertEqual((out / name).read_bytes(), (self.folder / "o2" / name).read_bytes(), name)
        sharp = ("--sharp-near-um", "0", "--sharp-far-um", "100", "--step-um", "22.5", "--method", "select")
        ladder("merge", frames, "--out", self.folder / "o3", *sharp, "--exclude", "z_again.jpg")
        share = json.loads((self.folder / "o3/report.json").read_text())["share"]
        self.assertEqual([share[name] for name in names[5:]], [0.0] * 7)

    def test_a_frame_that_is_left_out_keeps_its_step_in_depth_and_a_copy_has_none(self) -> None:
        plan, frames = {**PLAN, "rig": {k: RIG[k] for k in ("sensor", "train")}}, self.folder / "f"
        ladder("render", "wulfenite", "--plan", self.write("p.json", plan), "--out", frames)
        names = sorted(path.name for path in frames.glob("*.jpg"))
        merge = ("merge", frames, "--step-um", "22.5", "--method", "select", "--out")
        ladder(*merge, self.folder / "whole")
        Image.fromarray(np.asarray(Image.open(frames / names[5])) // 16).save(frames / names[5])
        (frames / names[7]).write_bytes((frames / names[6]).read_bytes())
        broken = (frames / names[3]).read_bytes()[:3000]
        (frames / names[3]).write_bytes(broken)
        self.assertEqual(ladder(*merge, self.folder / "o", "--exclude", names[2]).returncode, 0)
        report = json.loads((self.folder / "o/report.json").read_text())
        self.assertEqual(sorted(one["file"] for one in report["excluded"]), [names[i] for i in (2, 3, 5, 7)])
        self.assertIn("depth counts 3 frames that were left out as steps", " ".join(report["warnings"]))
        whole, found = (tifffile.imread(self.folder / out / "depth.tif") for out in ("whole", "o"))
        # Of what lies beyond them all: as deep as before, but for the copy that stands where a rung was.
        deep = np.isfinite(whole) & np.isfinite(found) & (whole > 8.5 * 22.5)
        self.assertGreater(int(deep.sum()), 500)
        self.assertAlmostEqual(float(np.median((whole - found)[deep])), 22.5, delta=4.0)

    def test_what_a_merge_cannot_use_is_named(self) -> None:
        frames = self.folder / "frames"
        frames.mkdir()
        for number in range(3):
            (frames / f"{number}.jpg").write_bytes(picture(seed=number))
        merge = ("merge", frames, "--out", self.folder / "o")
        self.bad(ladder(*merge, "--exclude", "9.jpg"), "9.jpg", "not in the folder")
        self.bad(ladder(*merge, "--exclude", "0.jpg", "--exclude", "1.jpg"), "at least 2", "left out as asked")
        at = self.write("at.json", {"0.jpg": 0, "1.jpg": 10})
        self.bad(ladder(*merge, "--positions", at), "2.jpg", "--exclude")
        self.bad(ladder(*merge, "--positions", self.write("at.json", {"0.jpg": "near"})), "at.json", "0.jpg")
        self.bad(ladder(*merge, "--calm", "2"), "calm")
        self.bad(ladder(*merge, "--window-px", "0"), "window")
        self.bad(ladder(*merge, "--sharp-near-um", "10"), "give the step or positions")
        rig = {k: RIG[k] for k in ("sensor", "train")}
        rig["sensor"] = {"width_px": 6000, "height_px": 4000, "pixel_um": 3.76}
        self.bad(ladder(*merge, "--rig", self.write("rig.json", rig)), "6000 × 4000", "cropped")
        self.assertFalse((self.folder / "o").exists())

    def test_scale_and_ramp(self) -> None:
        slide = self.folder / "slide.png"
        cv2.imwrite(str(slide), ruled_slide(20, 3) * 255)
        scale = json.loads(ladder("scale", slide, "--spacing-um", "10").stdout)
        self.assertAlmostEqual(scale["um_per_px"], 0.5, delta=0.001)
        self.assertLess(scale["u_um_per_px"], 0.001)
        self.assertAlmostEqual(scale["pitch_px"], 20, delta=0.04)
        self.assertAlmostEqual(scale["angle_deg"], 3, delta=0.1)
        self.assertGreater(scale["lines"], 20)
        self.assertEqual((scale["tolerance_percent"], scale["tolerance_assumed"]), (0.1, True))
        told = json.loads(ladder("scale", slide, "--spacing-um", "10", "--tolerance-percent", "2").stdout)
        self.assertAlmostEqual(told["u_um_per_px"], 0.5 * 0.02 / 3**0.5, delta=1e-4)
        self.assertFalse(told["tolerance_assumed"])
        self.assertEqual(told["um_per_px"], 0.5)  # no more digits than that bears
        (self.folder / "plain.jpg").write_bytes(picture(seed=3))
        self.bad(ladder("scale", self.folder / "plain.jpg", "--spacing-um", "10"), "no ruling was found")
        self.bad(ladder("scale", slide, "--spacing-um", "0"), "spacing")
        plan = {**PLAN, "far_um": 640, "overlap": 0.2, "rig": {k: RIG[k] for k in ("sensor", "train")}}
        plan["rig"]["sensor"] = {"width_px": 384, "height_px": 256, "pixel_um": 20}
        ladder("render", "focus-ramp", "--plan", self.write("r.json", plan), "--out", self.folder / "r")
        ramp = json.loads(ladder("ramp", self.folder / "r", "--slope-deg", "20", "--um-per-px", "4").stdout)
        step = json.loads(ladder("plan", self.folder / "r.json").stdout)["step_um"]
        self.assertLess(abs(ramp["um_per_frame"] / step - 1), 0.02)
        self.assertGreater(len(ramp["bands"]), 4)
        self.assertLess(ramp["residual_um"], 0.2 * step)
        self.assertTrue(ramp["slope_tolerance_assumed"])
        self.assertGreater(ramp["u_um_per_frame"] / ramp["um_per_frame"], 0.015)  # ± 0.5° of 20° alone
        self.bad(ladder("ramp", self.folder / "r", "--slope-deg", "0", "--um-per-px", "4"), "slope")

    def test_bad_input_is_one_line(self) -> None:
        self.bad(ladder("optics", self.folder / "none.json"), "none.json", "No such file")
        broken = self.folder / "broken.json"
        broken.write_text("{")
        self.bad(ladder("plan", broken), "broken.json", "JSON")
        lens = {"sensor": RIG["sensor"], "train": {"kind": "lens", "f_number": 0, "magnification": 1}}
        self.bad(ladder("optics", self.write("rig.json", lens)), "rig.json", "f_number", "more than 0")
        self.bad(ladder("merge", self.folder / "nowhere", "--out", self.folder / "o"), "nowhere", "not a folder")
        frames = self.folder / "frames"
        frames.mkdir()
        (frames / "a.jpg").write_bytes(picture())
        self.bad(ladder("merge", frames, "--out", self.folder / "o"), "at least 2")
        (frames / "b.jpg").write_bytes(picture(seed=1))
        self.bad(ladder("merge", frames, "--out", frames), "originals")
        self.assertFalse((self.folder / "o").exists())

    def test_tiles_are_laid_together(self) -> None:
        made, _, _ = whole("wulfenite")
        for number in (0, 1):
            write_merge(self.folder / f"t{number}", made, number)
        entry = {"results": ["t0", "t1"], "grid": {"columns": 2, "overlap": OVERLAP}}
        laid = ladder("tiles", self.write("tiles.json", entry), "--out", self.folder / "whole")
        self.assertEqual((laid.returncode, laid.stderr), (0, ""))
        report = json.loads(laid.stdout)
        self.assertEqual((report["warnings"], len(report["seams"])), ([], 1))
        self.assertLess(report["seams"][0]["rms_px"], 0.5)
        self.assertEqual(
            sorted(one.name for one in (self.folder / "whole").iterdir()),
            ["composite.tif", "depth.tif", "depth_u.tif", "report.json"],
        )
        self.bad(
            ladder("tiles", self.write("none.json", {"results": ["t0", "t1"]}), "--out", self.folder / "x"), "grid"
        )
        gone = self.write("gone.json", {**entry, "results": ["t0", "t9"]})
        self.bad(ladder("tiles", gone, "--out", self.folder / "x"), "tile 2", "t9")


if __name__ == "__main__":
    unittest.main()
