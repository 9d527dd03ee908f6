import tempfile
import unittest
from datetime import datetime, timedelta, timezone
from io import BytesIO
from pathlib import Path

import numpy as np
from PIL import ExifTags, Image

from amber_ladder.formats.exif import Exif
from amber_ladder.formats.metadata import Noted, noted_in, parsed_time
from amber_ladder.formats.results import write_composite
from amber_ladder.simulated.jpeg import Exposed, encode_jpeg

B = ExifTags.Base
GREY = np.full((80, 100, 3), 90, np.uint8)


class TestNotedIn(unittest.TestCase):
    def setUp(self) -> None:
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.path = Path(scratch.name) / "frame"

    def written(self, kind: str, **tags: object) -> Noted:
        exif = Image.Exif()
        details = exif.get_ifd(ExifTags.IFD.Exif)
        for name, value in tags.items():
            where = exif if name in ("Model", "Orientation", "DateTime") else details
            where[getattr(B, name)] = value
        file = BytesIO()
        Image.fromarray(GREY).save(file, kind, exif=exif)
        self.path.write_bytes(file.getvalue())
        return noted_in(self.path)

    def test_the_notes_of_a_camera_are_read(self) -> None:
        for kind in ("JPEG", "PNG"):
            with self.subTest(kind=kind):
                noted = self.written(
                    kind, Model="Bench\0", Orientation=6, DateTimeOriginal="2026:03:14 09:30:05",
                    SubsecTimeOriginal="25", OffsetTimeOriginal="+01:00", ExposureTime=0.004, FNumber=5.6,
                    ISOSpeedRatings=200, LensModel="5x", FocalLength=100.0, SubjectDistance=0.31,
                )  # fmt: skip
                zone = timezone(timedelta(hours=1))
                self.assertEqual(noted.captured_at, datetime(2026, 3, 14, 9, 30, 5, 250_000, zone))
                self.assertEqual((noted.body, noted.lens, noted.orientation), ("Bench", "5x", 6))
                self.assertEqual(noted.exposure, (0.004, 5.6, 200))
                self.assertEqual((noted.focal_mm, noted.focus_m), (100.0, 0.31))

    def test_a_tiff_carries_them_as_well(self) -> None:
        exposure: dict[int, object] = {B.DateTimeOriginal: "2026:03:14 09:30:05", B.ExposureTime: 0.5}
        write_composite(self.path, GREY, exif=Exif({B.Model: "Bench"}, exposure))
        noted = noted_in(self.path)
        self.assertEqual(
            (noted.body, noted.captured_at, noted.exposure_s), ("Bench", datetime(2026, 3, 14, 9, 30, 5), 0.5)
        )

    def test_what_is_not_noted_is_unknown(self) -> None:
        self.assertEqual(self.written("JPEG"), Noted())
        self.assertIsNone(Noted().exposure)

    def test_absurd_values_are_unknown(self) -> None:
        noted = self.written("JPEG", Orientation=99, ExposureTime=0.0, DateTimeOriginal="0000:00:00 00:00:00")
        self.assertEqual((noted.orientation, noted.exposure_s, noted.captured_at), (None, None, None))

    def test_the_simulated_camera_notes_its_exposure(self) -> None:
        at = datetime(2026, 3, 14, 9, 30, 5, 123_000)
        self.path.write_bytes(encode_jpeg(GREY, captured_at=at, exposed=Exposed(0.01, 4.0, 100)))
        self.assertEqual((noted_in(self.path).captured_at, noted_in(self.path).exposure), (at, (0.01, 4.0, 100)))
        self.path.write_bytes(encode_jpeg(GREY, captured_at=at, whole_seconds=True))
        self.assertEqual(noted_in(self.path).captured_at, at.replace(microsecond=0))

    def test_damage_is_nothing_noted(self) -> None:
        whole = encode_jpeg(GREY, captured_at=datetime(2026, 3, 14))
        for content in (b"", b"\xff\xd8", whole[:40], b"II*\0\xff\xff\xff\xff", b"text"):
            with self.subTest(content=content[:8]):
                self.path.write_bytes(content)
                self.assertEqual(noted_in(self.path), Noted())
        self.assertEqual(noted_in(self.path.parent / "missing"), Noted())


class TestParsedTime(unittest.TestCase):
    def test_fractions_and_zones(self) -> None:
        for fraction, microseconds in (
            ("5", 500_000),
            ("05", 50_000),
            ("1234567", 123_456),
            ("", 0),
            (" 7\0", 700_000),
        ):
            with self.subTest(fraction=fraction):
                time = parsed_time("2026:03:14 09:30:05", fraction)
                assert time
                self.assertEqual(time.microsecond, microseconds)
        west = parsed_time("2026:03:14 09:30:05", "", "-03:30")
        assert west
        self.assertEqual(west.utcoffset(), -timedelta(hours=3, minutes=30))
        for nonsense in ("+99:00", "Z", ""):
            time = parsed_time("2026:03:14 09:30:05", "", nonsense)
            assert time
            self.assertIsNone(time.tzinfo)
        self.assertIsNone(parsed_time("yesterday"))
