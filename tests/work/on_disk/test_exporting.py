"""Exports of a merge, as other programs read them."""

import json
import shutil
import tempfile
import unittest
from pathlib import Path
from typing import ClassVar

import numpy as np
import tifffile
import trimesh
from PIL import Image, ImageSequence
from trimesh.visual import ColorVisuals

from amber_ladder.errors import BadInput
from amber_ladder.formats.iiif import write_iiif
from amber_ladder.formats.profiles import linear_profile, srgb_profile
from amber_ladder.formats.results import read_depth, write_json
from amber_ladder.work.on_disk.exporting import ExportKind, export
from amber_ladder.work.on_disk.merge_result import read_merge
from benchmarks.shapes import BALL_TOP_UM, BALL_UM, CONDITIONS, Subject

WIDTH, HEIGHT = 400, 320


class Exports(unittest.TestCase):
    home: ClassVar[Path]
    ball: ClassVar[Subject]

    @classmethod
    def setUpClass(cls) -> None:
        scratch = tempfile.TemporaryDirectory(prefix="amber-ladder-exporting-")
        cls.addClassCleanup(scratch.cleanup)
        cls.home = Path(scratch.name)
        cls.ball = Subject("ball", CONDITIONS["usual"], 4, cls.home / "ball", size_px=(WIDTH, HEIGHT))

    def exported(self, kind: ExportKind, name: str, um_per_px: float | None = None, *, bar: bool = False) -> Path:
        out = self.home / "out" / name
        export(self.ball.folder, kind, out, um_per_px=um_per_px, bar=bar)
        return out

    def test_a_mesh_has_the_size_and_the_shape_of_the_specimen_in_mm(self) -> None:
        for kind, name in (("ply", "ball.ply"), ("gltf", "ball.glb"), ("gltf", "ball.gltf")):
            mesh = trimesh.load(self.exported(kind, name), force="mesh")  # type: ignore[arg-type]
            assert isinstance(mesh, trimesh.Trimesh)
            with self.subTest(name):
                np.testing.assert_allclose(mesh.extents[:2], [WIDTH / 1e3, HEIGHT / 1e3], rtol=0.05)
                x, y, z = mesh.vertices.T * 1e3
                # y runs upwards, z towards the camera: the corners lie on the sphere, but for noise.
                middle = -(BALL_TOP_UM + BALL_UM - self.ball.first_um)
                inside = np.hypot(x, y) < 180
                radius = np.sqrt(x**2 + y**2 + (z - middle) ** 2)[inside]
                self.assertLess(abs(float(np.median(radius)) / BALL_UM - 1), 0.01)
                self.assertGreater(float(mesh.face_normals[:, 2].mean()), 0.5)
                assert isinstance(mesh.visual, ColorVisuals)
                self.assertGreater(len(np.unique(mesh.visual.vertex_colors[:, 0])), 20)

    def test_an_anaglyph_and_a_film_that_rocks(self) -> None:
        with Image.open(self.exported("anaglyph", "glasses.png")) as shown:
            size = shown.size
            self.assertEqual(shown.mode, "RGB")
        composite = read_merge(self.ball.folder).composite
        self.assertEqual(size, (composite.shape[1], composite.shape[0]))
        with Image.open(self.exported("rocking-film", "film.webp")) as film:
            self.assertEqual((film.format, len(ImageSequence.all_frames(film))), ("WEBP", 36))
            self.assertEqual(film.info["loop"], 0)
            film.seek(0)
            level = np.asarray(film.convert("RGB"), float)
            film.seek(9)
            aside = np.asarray(film.convert("RGB"), float)
        self.assertLess(float(np.abs(level - composite).mean()), 6.0)
        self.assertGreater(float(np.abs(aside - level).mean()), 2.0)

    def test_holes_of_the_depth_stay_holes(self) -> None:
        mesh = trimesh.load(self.exported("ply", "holes.ply"), force="mesh")
        assert isinstance(mesh, trimesh.Trimesh)
        self.assertLessEqual(len(mesh.vertices), int(np.isfinite(read_depth(self.ball.folder / "depth.tif")).sum()))
        self.assertFalse(mesh.is_watertight)

    def test_ome_tiff_holds_composite_depth_and_its_uncertainty_with_the_size_of_a_pixel(self) -> None:
        with tifffile.TiffFile(self.exported("ome-tiff", "ball.ome.tif", 1.25)) as file:
            self.assertTrue(file.is_ome)
            self.assertEqual([one.axes for one in file.series], ["YXS", "YX", "YX"])
            self.assertEqual(file.series[1].name, "depth, µm")
            np.testing.assert_array_equal(file.series[0].asarray(), tifffile.imread(self.ball.folder / "composite.tif"))
            np.testing.assert_array_equal(file.series[1].asarray(), read_depth(self.ball.folder / "depth.tif"))
            self.assertIn('PhysicalSizeX="1.25" PhysicalSizeXUnit="µm"', str(file.ome_metadata))

    def test_pictures_have_their_scale_and_on_demand_a_bar_below(self) -> None:
        for kind, name in (("png", "ball.png"), ("jpeg", "ball.jpg")):
            with self.subTest(kind), Image.open(self.exported(kind, name, 2.0)) as plain:  # type: ignore[arg-type]
                self.assertEqual(plain.size, (WIDTH, HEIGHT))
                self.assertAlmostEqual(float(plain.info["dpi"][0]), 12_700, delta=1)
        with Image.open(self.exported("png", "bar.png", 2.0, bar=True)) as barred:
            below = np.asarray(barred)[HEIGHT:]
            dark = (below.max(axis=-1) < 60).any(axis=0)
            # A quarter of the width at most: 200 µm, 100 px.
            self.assertGreaterEqual(int(dark.sum()), 100)
            self.assertGreater(below.shape[0], 20)

    def test_depth_as_floats_with_unit_and_scale(self) -> None:
        with tifffile.TiffFile(self.exported("depth-tiff", "depth.tif", 2.0)) as file:
            page = file.pages.first
            self.assertEqual(page.dtype, np.float32)
            self.assertIn("µm", page.description)
            self.assertIn("2 µm/px", page.description)

    def test_tiles_for_a_web_site(self) -> None:
        folder = self.exported("iiif", "site")
        manifest = json.loads((folder / "manifest.json").read_text())
        self.assertEqual((manifest["type"], manifest["items"][0]["width"]), ("Manifest", WIDTH))
        info = json.loads((folder / "image" / "info.json").read_text())
        self.assertEqual((info["width"], info["height"], info["profile"]), (WIDTH, HEIGHT, "level0"))
        with Image.open(folder / "image" / "full" / "max" / "0" / "default.jpg") as whole:
            self.assertEqual(whole.size, (WIDTH, HEIGHT))
        with self.assertRaisesRegex(BadInput, "there already"):
            self.exported("iiif", "site")

    def test_colours_on_a_web_site_are_those_of_the_picture(self) -> None:
        """Web sites show sRGB: light as it is (0.2 of white) is 124 of 255 there, whatever the picture's own numbers."""
        linear = np.full((80, 96, 3), round(0.2 * 65535), np.uint16)
        for name, profile, picture, expected in (
            ("linear", linear_profile(), linear, 124),
            ("srgb", srgb_profile(), np.full((80, 96, 3), 124, np.uint8), 124),
            ("none", None, np.full((80, 96, 3), 124 * 257, np.uint16), 124),
            ("damaged", b"moss", np.full((80, 96, 3), 124, np.uint8), 124),
        ):
            folder = self.home / f"colours {name}"
            folder.mkdir()
            write_iiif(folder, picture, name=name, um_per_px=None, base="https://a.example", colour_profile=profile)
            with self.subTest(name), Image.open(folder / "image" / "full" / "max" / "0" / "default.jpg") as shown:
                self.assertAlmostEqual(float(np.asarray(shown).mean()), expected, delta=1.5)

    def test_a_web_site_has_the_address_at_which_it_will_be_given_out(self) -> None:
        address = "https://pictures.tarnhollow.example/ball"
        told = export(self.ball.folder, "iiif", self.home / "given out", address=f"{address}/")
        self.assertEqual(told["manifest"], f"{address}/manifest.json")
        manifest = json.loads((self.home / "given out" / "manifest.json").read_text())
        self.assertEqual(manifest["id"], told["manifest"])
        info = json.loads((self.home / "given out" / "image" / "info.json").read_text())
        self.assertEqual(info["id"], f"{address}/image")
        for kind, wrong, words in (("iiif", "pictures", "is no address"), ("png", address, "needs an address")):
            with self.subTest(kind), self.assertRaisesRegex(BadInput, words):
                export(self.ball.folder, kind, self.home / "none", address=wrong)  # type: ignore[arg-type]

    def test_what_cannot_be_exported_says_why_and_leaves_nothing(self) -> None:
        bare = self.home / "bare"
        shutil.copytree(self.ball.folder, bare)
        report = {**read_merge(bare).report, "scale": None}
        write_json(bare / "report.json", report)
        out = self.home / "none"
        for kind, bar, words in (
            ("png", True, "needs a scale"), ("ply", True, "into a PNG or JPEG"), ("gltf", False, "no scale is known"),
        ):  # fmt: skip
            with self.subTest(kind), self.assertRaisesRegex(BadInput, words):
                export(bare, kind, out / "file", bar=bar)  # type: ignore[arg-type]
        with self.assertRaisesRegex(BadInput, "into the folder of the merge"):
            export(bare, "png", bare / "composite.tif")
        with self.assertRaisesRegex(BadInput, "is a folder"):
            export(bare, "png", self.home)
        self.assertEqual(list(out.glob("*")) if out.exists() else [], [])


if __name__ == "__main__":
    unittest.main()
