import tempfile
import unittest
from datetime import datetime
from io import BytesIO
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageCms

from amber_ladder.core.colour import decode_srgb, encode_srgb
from amber_ladder.core.developing import Development, NeutralPlace, Tone, WhiteBalance
from amber_ladder.core.frames import no_progress
from amber_ladder.core.optics import InfinityObjective, Rig, Sensor, resolve
from amber_ladder.errors import BadInput
from amber_ladder.formats.profiles import linear_profile, srgb_profile
from amber_ladder.simulated.dng import RawCamera, encode_dng
from amber_ladder.simulated.jpeg import encode_jpeg
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.simulated.stand import SimulatedStand
from amber_ladder.work.on_disk.checking import check_folder
from amber_ladder.work.on_disk.developing import develop_folder
from amber_ladder.work.on_disk.merge_settings import MergeSettings
from amber_ladder.work.on_disk.merging import merge_folder

Float = NDArray[np.float32]

_PATCH_PX = 32
_ROWS, _COLUMNS = 3, 6
_GREY = 14
"""The patch of 24 % grey among the card's colours."""


def card() -> Float:
    """Linear sRGB of a card with eighteen patches, (H, W, 3): colours, and a scale of greys in the last row."""
    random = np.random.default_rng(8)
    colours = np.concatenate(
        [random.uniform(0.04, 0.75, (12, 3)), np.repeat([[0.9], [0.5], [0.24], [0.12], [0.06], [0.03]], 3, axis=1)]
    )
    grid = colours.reshape(_ROWS, _COLUMNS, 3).astype(np.float32)
    return np.ascontiguousarray(np.repeat(np.repeat(grid, _PATCH_PX, axis=0), _PATCH_PX, axis=1))


def patches(picture: NDArray[Any]) -> Float:
    """Means of the patches' middles, (18, 3), 0 to 1."""
    tiles = picture.reshape(_ROWS, _PATCH_PX, _COLUMNS, _PATCH_PX, 3).astype(np.float64) / 65535
    return np.asarray(tiles[:, 8:-8, :, 8:-8].mean(axis=(1, 3)).reshape(-1, 3), np.float32)


def delta_e(first: Float, second: Float) -> Float:
    """CIE 1976 colour differences of encoded sRGB, (N,)."""
    one, two = (cv2.cvtColor(colours[None].astype(np.float32), cv2.COLOR_RGB2Lab)[0] for colours in (first, second))
    return np.asarray(np.linalg.norm(one - two, axis=1), np.float32)


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.folder, self.out = Path(scratch.name) / "frames", Path(scratch.name) / "out"
        self.folder.mkdir()

    def put(self, name: str, content: bytes) -> None:
        (self.folder / name).write_bytes(content)

    def develop(self, settings: Development | None = None, balance: WhiteBalance = "as_shot") -> dict[str, Any]:
        return develop_folder(self.folder, self.out, settings or Development(), balance, no_progress)

    def result(self, name: str) -> NDArray[np.uint16]:
        return np.asarray(tifffile.imread(self.out / name), np.uint16)

    def place(self, file: str) -> NeutralPlace:
        """The grey patch of the card."""
        x, y = (_PATCH_PX * (at + 0.5) for at in (_GREY % _COLUMNS, _GREY // _COLUMNS))
        return NeutralPlace(file, x, y, 12)


class TestRaw(Folder):
    def test_a_colour_card_is_true_with_white_balance_from_its_grey_patch(self) -> None:
        wrong = RawCamera(neutral=(0.43, 1.0, 0.8), as_shot=(0.6, 1.0, 0.55), read_noise=8.0)
        self.put("card.dng", encode_dng(card(), wrong, random=np.random.default_rng(2)))
        true = encode_srgb(patches(np.rint(card() * 65535)))
        told = self.develop(balance=self.place("card.dng"))
        self.assertLess(float(delta_e(patches(self.result("card.tif")), true).max()), 3.0)
        np.testing.assert_allclose(told["white_balance"]["multipliers"], (1 / 0.43, 1.0, 1 / 0.8), rtol=0.01)

    def test_as_shot_is_what_the_camera_noted_right_or_wrong(self) -> None:
        true = encode_srgb(patches(np.rint(card() * 65535)))
        for as_shot, most in ((None, 1.0), ((0.6, 1.0, 0.55), None)):
            self.put("card.dng", encode_dng(card(), RawCamera(as_shot=as_shot)))
            self.develop()
            off = float(delta_e(patches(self.result("card.tif")), true).max())
            if most:
                self.assertLess(off, most)
            else:
                self.assertGreater(off, 10.0)

    def test_frames_of_one_stack_come_out_equally_bright(self) -> None:
        # A frame far out of focus has no bright spots: a developer that looks for them would brighten it.
        random = np.random.default_rng(4)
        sharp = card()
        sharp[40:44, 40:44] = 0.98
        blurred = np.asarray(0.5 * cv2.GaussianBlur(card(), (0, 0), 9.0), np.float32)
        blurred[32:64, 64:96] = sharp[32:64, 64:96] = 0.2
        for number, light in enumerate((sharp, blurred)):
            one = RawCamera(read_noise=5.0, as_shot=((0.52, 1.0, 0.71), (0.6, 1.0, 0.6))[number])
            self.put(f"f{number}.dng", encode_dng(light, one, random=random))
        self.develop()
        middles = [self.result(f"f{n}.tif")[40:56, 72:88].astype(np.float64).mean(axis=(0, 1)) for n in (0, 1)]
        np.testing.assert_allclose(middles[1], middles[0], rtol=0.002)

    def test_black_and_white_level_are_those_of_the_file(self) -> None:
        light = np.full((96, 96, 3), 0.18, np.float32)
        for number, (black, white) in enumerate(((64, 4095), (1024, 16383), (0, 65535))):
            self.put(f"f{number}.dng", encode_dng(light, RawCamera(black=black, white=white)))
        self.develop(Development(tone="linear"))
        for number in range(3):
            with self.subTest(number=number):
                found = self.result(f"f{number}.tif")[8:-8, 8:-8].astype(np.float64) / 65535
                np.testing.assert_allclose(found.mean(axis=(0, 1)), 0.18, rtol=0.003)

    def test_the_orientation_is_honoured_and_the_neutral_place_is_found_upright(self) -> None:
        light = np.full((96, 160, 3), 0.3, np.float32)
        light[:32, :32] = (0.4, 0.2, 0.1)  # the upper left corner as it lies in the file: upright, the upper right one
        self.put("f.dng", encode_dng(light, RawCamera(orientation=6)))
        self.develop()
        stands = self.result("f.tif")
        self.assertEqual(stands.shape, (160, 96, 3))
        self.assertGreater(int(stands[10, 80, 0]), int(stands[10, 80, 2]) + 10_000)
        self.develop(balance=NeutralPlace("f.dng", 80, 16, 12))
        red, green, blue = self.result("f.tif")[16, 80].astype(float)
        self.assertLess(max(abs(red - green), abs(blue - green)), 0.02 * green)

    def test_linear_and_display_are_one_light_and_say_so(self) -> None:
        self.put("f.dng", encode_dng(card(), RawCamera()))
        self.develop(Development(tone="linear"))
        linear = patches(self.result("f.tif"))
        with tifffile.TiffFile(self.out / "f.tif") as file:
            self.assertEqual(file.pages.first.iccprofile, linear_profile())
        self.develop()
        np.testing.assert_allclose(decode_srgb(patches(self.result("f.tif"))), linear, atol=2e-4)

    def test_raw_cut_short_is_named_and_the_others_are_developed(self) -> None:
        whole = encode_dng(card(), RawCamera())
        for name, content in (("a.dng", whole), ("b.dng", whole[:9000]), ("c.dng", b""), ("d.nef", b"text")):
            self.put(name, content)
        told = self.develop()
        self.assertEqual(told["developed"], ["a.dng"])
        self.assertEqual([one["file"] for one in told["left_out"]], ["b.dng", "c.dng", "d.nef"])
        self.assertEqual(sorted(path.name for path in self.out.iterdir()), ["a.tif"])

    def test_check_looks_at_raw_files_as_well(self) -> None:
        picture = np.random.default_rng(5).uniform(0.1, 0.6, (240, 320, 3)).astype(np.float32)
        for number in range(4):
            blurred = np.asarray(cv2.GaussianBlur(picture, (0, 0), 1.0 + number), np.float32)
            self.put(f"f{number}.dng", encode_dng(blurred, RawCamera(), captured_at=datetime(2026, 3, 14, 9, number)))
        self.put("g.dng", b"II*\0 not a raw file")
        told = check_folder(self.folder, no_progress)
        self.assertEqual(told["stacks"][0]["frames"], [f"f{n}.dng" for n in range(4)])
        self.assertEqual([one["file"] for one in told["unreadable"]], ["g.dng"])


class TestPictures(Folder):
    def picture(self) -> NDArray[np.uint8]:
        return np.asarray(np.rint(encode_srgb(card()) * 255), np.uint8)

    def test_without_settings_nothing_changes_but_the_number_of_bits(self) -> None:
        cv2.imwrite(str(self.folder / "a.png"), self.picture()[..., ::-1])
        self.develop()
        np.testing.assert_array_equal(self.result("a.tif"), self.picture().astype(np.uint16) * 257)

    def test_a_tinted_picture_is_balanced_on_its_grey_patch(self) -> None:
        tinted = np.asarray(np.rint(encode_srgb(card() * np.array([0.9, 0.7, 0.5], np.float32)) * 255), np.uint8)
        for name in ("a.png", "b.png"):
            cv2.imwrite(str(self.folder / name), tinted[..., ::-1])
        self.develop(Development(exposure_stops=float(-np.log2(0.7))), self.place("b.png"))
        true = encode_srgb(patches(np.rint(card() * 65535)))
        for name in ("a.tif", "b.tif"):
            self.assertLess(float(delta_e(patches(self.result(name)), true).max()), 3.0)

    def test_originals_stay_and_what_the_camera_noted_is_carried_over(self) -> None:
        content = encode_jpeg(self.picture(), captured_at=datetime(2026, 3, 14, 9, 30))
        self.put("TH0001.JPG", content)
        self.develop(Development(0.5))
        self.assertEqual((self.folder / "TH0001.JPG").read_bytes(), content)
        with Image.open(self.out / "TH0001.tif") as developed:
            self.assertEqual(developed.getexif()[272], "Simulated bench")

    def test_a_colour_profile_is_kept_and_one_that_is_not_srgb_is_not_made_linear(self) -> None:
        strange = ImageCms.ImageCmsProfile(ImageCms.createProfile("XYZ")).tobytes()
        for profile, name in ((srgb_profile(), "sRGB"), (strange, "XYZ")):
            with self.subTest(name=name):
                tifffile.imwrite(self.folder / "a.tif", self.picture(), photometric="rgb", iccprofile=profile)
                warnings = self.develop(Development(0.5))["warnings"]
                with tifffile.TiffFile(self.out / "a.tif") as file:
                    self.assertEqual(file.pages.first.iccprofile, profile)
                self.assertEqual(["XYZ" in one for one in warnings], [True] if name == "XYZ" else [])
        with self.assertRaisesRegex(BadInput, "only sRGB can be made linear"):
            self.develop(Development(tone="linear"))

    def test_what_cannot_be_developed_together_is_refused(self) -> None:
        self.put("a.dng", encode_dng(card(), RawCamera()))
        cv2.imwrite(str(self.folder / "a.png"), self.picture())
        with self.assertRaisesRegex(BadInput, "folders of their own"):
            self.develop()
        (self.folder / "a.dng").unlink()
        cv2.imwrite(str(self.folder / "a.tif"), self.picture())
        with self.assertRaisesRegex(BadInput, r"both become a\.tif"):
            self.develop()
        self.assertFalse(self.out.exists())

    def test_a_neutral_place_that_is_not_there_is_refused(self) -> None:
        cv2.imwrite(str(self.folder / "a.png"), self.picture())
        for place, why in (
            (NeutralPlace("b.png", 1, 1, 8), "not among the frames"),
            (NeutralPlace("a.png", 500, 1, 8), "outside"),
            (NeutralPlace("a.png", 1, 1, 900), "does not fit"),
        ):
            with self.subTest(why=why), self.assertRaisesRegex(BadInput, why):
                self.develop(balance=place)
        with self.assertRaisesRegex(BadInput, "no frame"):
            develop_folder(self.out.parent / "frames" / "..", self.out, Development(), "as_shot", no_progress)


class TestProfiles(unittest.TestCase):
    def test_linear_light_is_understood_by_others(self) -> None:
        linear = ImageCms.ImageCmsProfile(BytesIO(linear_profile()))
        srgb = ImageCms.ImageCmsProfile(BytesIO(srgb_profile()))
        light = Image.new("RGB", (4, 4), (55, 128, 13))
        shown = np.asarray(ImageCms.profileToProfile(light, linear, srgb, outputMode="RGB"))[0, 0]
        true = encode_srgb(np.array([55, 128, 13], np.float32) / np.float32(255)) * 255
        self.assertLessEqual(float(np.abs(shown - true).max()), 2.0)


class TestMerging(Folder):
    def test_linear_frames_merge_into_the_same_picture_and_it_says_that_it_is_linear(self) -> None:
        sensor = Sensor(480, 320, 5.0)
        optics = resolve(Rig(sensor, InfinityObjective(3, 0.09, 200, 200)))
        stand = SimulatedStand(
            specimen_for("moss-capsule"), optics, sensor, near_um=0, seed=2, raw=RawCamera(read_noise=6.0)
        )
        for number in range(11):
            stand.move_to(70.0 * number)
            self.put(f"f{number:02d}.dng", stand.expose().content)
        shown: dict[str, NDArray[np.float32]] = {}
        tones: tuple[Tone, ...] = ("display", "linear")
        for tone in tones:
            out = self.out.parent / f"out-{tone}"
            develop_folder(self.folder, out, Development(tone=tone), "as_shot", no_progress)
            merged = self.out.parent / f"merged-{tone}"
            report = merge_folder(out, merged, MergeSettings(method="select", step_um=70.0), no_progress)
            self.assertEqual(len(report["frames_used"]), 11)
            picture = np.asarray(tifffile.imread(merged / "composite.tif"), np.float32) / np.float32(65535)
            shown[tone] = picture if tone == "display" else encode_srgb(picture)
        with tifffile.TiffFile(merged / "composite.tif") as file:
            self.assertEqual(file.pages.first.iccprofile, linear_profile())
        off = np.abs(shown["linear"] - shown["display"])[40:-40, 40:-40]
        self.assertLess(float(np.median(off)), 0.01)
        self.assertLess(float(np.percentile(off, 95)), 0.04)
