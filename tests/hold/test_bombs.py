"""Pictures that are small on the disk and huge, or endless, once somebody opens them."""

import io
import os
import resource
import struct
import subprocess
import tempfile
import unittest
import zlib
from pathlib import Path

import cv2
import numpy as np
import tifffile
from PIL import Image

from amber_ladder.errors import UnreadablePicture
from amber_ladder.formats.apart import Examiner
from amber_ladder.formats.pictures import examine
from amber_ladder.simulated.dng import RawCamera, encode_dng
from tests.support.examples import picture


class Pictures(unittest.TestCase):
    """Files made by hand."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(dir="/tmp")
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def refused(self, name: str, content: bytes, words: str) -> None:
        path = self.folder / name
        path.write_bytes(content)
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        with self.assertRaisesRegex(UnreadablePicture, words):
            examine(path)
        # In kB: it was refused before it was unpacked.
        self.assertLess(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 150_000)

    def tiff(self, pixels: np.ndarray, **options: object) -> bytes:
        out = io.BytesIO()
        tifffile.imwrite(out, pixels, **options)  # type: ignore[arg-type]
        return out.getvalue()

    def chunk(self, kind: bytes, content: bytes) -> bytes:
        return struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content))

    def png(self, width: int, height: int, lines: bytes, extra: bytes = b"") -> bytes:
        head = struct.pack(">IIBBBBB", width, height, 16, 2, 0, 0, 0)
        return b"\x89PNG\r\n\x1a\n" + b"".join(
            (self.chunk(b"IHDR", head), extra, self.chunk(b"IDAT", lines), self.chunk(b"IEND", b""))
        )


class Bombs(Pictures):
    def test_a_tiff_that_unpacks_to_gigabytes(self) -> None:
        content = self.tiff(np.zeros((64, 64), np.uint8), compression="zlib", metadata=None)
        with tifffile.TiffFile(io.BytesIO(content)) as file:
            tags = file.pages.first.tags
            places = {name: tags[name].valueoffset for name in ("ImageWidth", "ImageLength", "RowsPerStrip")}
        swollen = bytearray(content)
        for place in places.values():
            swollen[place : place + 2] = struct.pack("<H", 15_000)
        self.refused("swollen.tif", bytes(swollen), "would unpack from")

    def test_a_tiff_of_a_thousand_samples_or_of_floats(self) -> None:
        self.refused(
            "samples.tif", self.tiff(np.zeros((64, 64, 1000), np.uint8), photometric="minisblack", planarconfig="contig", metadata=None),
            "neither grey nor RGB",
        )  # fmt: skip
        self.refused("float.tif", self.tiff(np.zeros((64, 64), np.float32)), "float32 pixels")

    def test_a_tiff_of_many_pages_but_not_one_with_a_thumbnail(self) -> None:
        page = np.full((64, 64, 3), 9, np.uint8)
        out = io.BytesIO()
        with tifffile.TiffWriter(out) as writer:
            for _ in range(3):
                writer.write(page, photometric="rgb", metadata=None)
        self.refused("pages.tif", out.getvalue(), "more than one picture")
        out = io.BytesIO()
        with tifffile.TiffWriter(out) as writer:
            writer.write(page, photometric="rgb", metadata=None)
            writer.write(page[::8, ::8], photometric="rgb", subfiletype=1, metadata=None)
        path = self.folder / "thumb.tif"
        path.write_bytes(out.getvalue())
        self.assertEqual(examine(path).width_px, 64)

    def test_a_png_that_unpacks_to_gigabytes_or_carries_megabytes_beside_its_pixels(self) -> None:
        self.refused("vast.png", self.png(12_000, 12_000, zlib.compress(bytes(1_000_000))), "would unpack from")
        exif = self.chunk(b"eXIf", b"MM\x00*" + bytes(9_000_000))
        self.refused("exif.png", self.png(64, 64, zlib.compress(bytes(64 * 385)), exif), "beside its pixels")

    def test_a_jpeg_of_thousands_of_scans_but_not_a_progressive_one(self) -> None:
        plain = picture(96, 64)
        start = plain.index(b"\xff\xda")
        scan = plain[start:-2]
        self.refused("scans.jpg", plain[:start] + scan * 2000 + b"\xff\xd9", "hundreds of layers")
        out = io.BytesIO()
        Image.open(io.BytesIO(plain)).save(out, "JPEG", progressive=True)
        path = self.folder / "progressive.jpg"
        path.write_bytes(out.getvalue())
        self.assertEqual(examine(path).format, "JPEG")

    def test_an_even_black_frame_is_a_frame(self) -> None:
        black = np.zeros((3000, 4500, 3), np.uint8)
        for name in ("black.png", "black.jpg"):
            path = self.folder / name
            path.write_bytes(bytes(cv2.imencode(path.suffix, black)[1]))
            self.assertEqual(examine(path).height_px, 3000)
        path = self.folder / "black.tif"
        tifffile.imwrite(path, black, compression="zlib", photometric="rgb")
        self.assertEqual(examine(path).height_px, 3000)


class Apart(Pictures):
    """Within all bounds, and still more than the server wants to hold."""

    def large(self) -> Path:
        side = 12_000
        lines = zlib.compress(bytes(side * (1 + 6 * side)), 1)
        path = self.folder / "large.png"
        path.write_bytes(self.png(side, side, lines))
        return path

    def test_what_is_large_is_opened_by_somebody_else(self) -> None:
        path, examiner = self.large(), Examiner()
        self.addCleanup(examiner.close)
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        info = examiner.examine(path)
        self.assertEqual((info.width_px, info.bits), (12_000, 16))
        self.assertLess(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 50_000)

    def test_memory_and_time_are_limited_and_the_next_picture_is_opened_all_the_same(self) -> None:
        large, good = self.large(), self.folder / "good.jpg"
        good.write_bytes(picture())
        for examiner, seconds, words in (
            (Examiner(memory=100_000_000), None, "more memory than any frame|damaged or cut short|decoder fail"),
            (Examiner(), 0.05, "within 0.05 s"),
        ):
            self.addCleanup(examiner.close)
            with self.subTest(words):
                self.assertEqual(examiner.examine(good).format, "JPEG")  # its helper runs now
                usual = examiner._seconds
                examiner._seconds = seconds or usual
                with self.assertRaisesRegex(UnreadablePicture, words):
                    examiner.examine(large)
                examiner._seconds = usual
                self.assertEqual(examiner.examine(good).format, "JPEG")

    def test_raw_is_tried_by_somebody_else_and_what_its_decoder_fails_at_is_named(self) -> None:
        grey = np.full((2000, 3000, 3), 0.2, np.float32)
        path, examiner, narrow = self.folder / "large.dng", Examiner(), Examiner(memory=20_000_000)
        path.write_bytes(encode_dng(grey, RawCamera()))
        for one in (examiner, narrow):
            self.addCleanup(one.close)
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        examiner.try_raw(path)
        self.assertLess(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 10_000)
        with self.assertRaisesRegex(UnreadablePicture, "large.dng"):
            narrow.try_raw(path)
        path.write_bytes(path.read_bytes()[:400])
        with self.assertRaisesRegex(UnreadablePicture, "no raw file that can be read"):
            examiner.try_raw(path)

    def test_a_helper_that_is_killed_is_replaced(self) -> None:
        good, examiner = self.folder / "good.jpg", Examiner()
        self.addCleanup(examiner.close)
        good.write_bytes(picture())
        examiner.examine(good)
        subprocess.run(["pkill", "-9", "-P", str(os.getpid()), "-f", "amber_ladder.formats.apart"], check=True)
        for _ in range(3):
            try:
                examiner.examine(good)
            except UnreadablePicture as error:
                self.assertIn("decoder fail", str(error))  # the one that was just being asked
        self.assertEqual(examiner.examine(good).format, "JPEG")


if __name__ == "__main__":
    unittest.main()
