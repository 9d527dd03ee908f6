"""Pictures that are small on the disk and huge, or endless, once somebody opens them."""

import io
import resource
import struct
import tempfile
import unittest
import zlib
from pathlib import Path

import cv2
import numpy as np
import tifffile
from PIL import Image

from amber_ladder.errors import UnreadablePicture
from amber_ladder.formats.pictures import examine
from tests.support.examples import picture


class Bombs(unittest.TestCase):
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


if __name__ == "__main__":
    unittest.main()
