"""What the camera noted goes with the picture that is merged, in a file that others read."""

import tempfile
import unittest
from io import BytesIO
from pathlib import Path

import numpy as np
import tifffile
from PIL import ExifTags, Image
from PIL.TiffImagePlugin import IFDRational

from amber_ladder.formats.exif import exif_of
from amber_ladder.formats.pictures import examine, read_picture
from amber_ladder.formats.results import rescaled_composite, write_composite
from tests.support.examples import picture

Tag = ExifTags.Base


def frame(*, thumbnail_only: bool = False) -> bytes:
    """A JPEG as a camera writes it."""
    exif = Image.Exif()
    exif[Tag.Model] = "Tarn Hollow body 2"
    exif[Tag.DateTime] = "2026:02:03 04:05:06"
    exif[Tag.Orientation] = 6
    if not thumbnail_only:
        details = exif.get_ifd(ExifTags.IFD.Exif)
        details[Tag.ExposureTime] = IFDRational(1, 160)
        details[Tag.FNumber] = IFDRational(56, 10)
        details[Tag.ISOSpeedRatings] = 100
        details[Tag.ExifVersion] = b"0232"
        details[Tag.MakerNote] = b"inner addresses" * 9
        details[Tag.LensModel] = "ring light, 60 mm"
        exif.get_ifd(ExifTags.IFD.GPSInfo)[ExifTags.GPS.GPSLatitude] = (54.0, 30.0, 12.0)
    file = BytesIO()
    Image.open(BytesIO(picture())).save(file, "JPEG", exif=exif, quality=90)
    return file.getvalue()


class Carried(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.original = self.folder / "a.jpg"
        self.original.write_bytes(frame())

    def check(self, path: Path) -> None:
        with tifffile.TiffFile(path) as file:
            tags = file.pages.first.tags
            self.assertEqual(tags["Model"].value, "Tarn Hollow body 2")
            self.assertEqual(tags["DateTime"].value, "2026:02:03 04:05:06")
            noted = tags["ExifTag"].value
            self.assertEqual(noted["ExposureTime"], (1, 160))
            self.assertEqual(noted["ISOSpeedRatings"], 100)
            self.assertEqual(noted["LensModel"], "ring light, 60 mm")
            self.assertNotIn("MakerNote", noted)
            names = [tag.name for tag in tags]
            self.assertNotIn("GPSTag", names)
            # Depth and all that is measured lie as the sensor does; a camera that looks down sets this at random.
            self.assertNotIn("Orientation", names)

    def test_into_the_composite_of_8_and_16_bits_and_on_into_its_copy(self) -> None:
        for dtype in (np.uint8, np.uint16):
            with self.subTest(dtype=dtype):
                pixels = np.random.default_rng(1).integers(0, 255, (81, 95, 3)).astype(dtype)
                path, copy = self.folder / "c.tif", self.folder / "d.tif"
                write_composite(path, pixels, exif=exif_of(self.original), um_per_px=0.8)
                rescaled_composite(path, copy, um_per_px=0.5)
                for one in (path, copy):
                    self.check(one)
                    np.testing.assert_array_equal(read_picture(one), pixels)
                    self.assertEqual(examine(one).captured_at.isoformat(), "2026-02-03T04:05:06")  # type: ignore[union-attr]
        write_composite(path, pixels.astype(np.uint8), exif=exif_of(self.original))
        with Image.open(path) as seen:  # by another reader
            details = seen.getexif().get_ifd(ExifTags.IFD.Exif)
            self.assertAlmostEqual(float(details[Tag.FNumber]), 5.6)
            self.assertEqual(details[Tag.ExifVersion], b"0232")

    def test_of_damage_and_of_nothing_there_is_nothing_to_carry(self) -> None:
        whole = frame()
        at = whole.index(b"Exif\0\0") + 14
        for number, content in enumerate((whole[:at] + b"\xff" * 60 + whole[at + 60 :], picture(), b"", b"II*\0\xff")):
            path = self.folder / f"{number}.jpg"
            path.write_bytes(content)
            self.assertEqual(exif_of(path).exposure, {})
        self.original.write_bytes(frame(thumbnail_only=True))
        path = self.folder / "c.tif"
        write_composite(path, np.zeros((70, 70, 3), np.uint8), exif=exif_of(self.original))
        with tifffile.TiffFile(path) as file:
            self.assertEqual(file.pages.first.tags["Model"].value, "Tarn Hollow body 2")
            self.assertNotIn("ExifTag", [tag.name for tag in file.pages.first.tags])


if __name__ == "__main__":
    unittest.main()
