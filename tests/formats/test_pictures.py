import struct
import tempfile
import unittest
import zlib
from pathlib import Path

import cv2
import numpy as np
import tifffile

from amber_ladder.errors import BadInput, UnreadablePicture
from amber_ladder.formats.pictures import examine, frames_in, natural_key, read_grey, read_picture
from tests.support.examples import picture


def png_header(width: int, height: int) -> bytes:
    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    chunk = b"IHDR" + head
    data = b"IDAT" + zlib.compress(b"\0" * 64)
    parts = ((13, chunk), (len(data) - 4, data))
    return b"\x89PNG\r\n\x1a\n" + b"".join(
        struct.pack(">I", size) + part + struct.pack(">I", zlib.crc32(part)) for size, part in parts
    )


class Pictures(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def write(self, name: str, content: bytes) -> Path:
        path = self.folder / name
        path.write_bytes(content)
        return path

    def test_what_cannot_be_used_is_told_apart(self) -> None:
        whole = picture()
        cases = {
            "empty.jpg": (b"", "empty"),
            "text.jpg": (b"no picture at all, just words", "no JPEG, PNG or TIFF"),
            "short.jpg": (whole[: len(whole) // 2], "cut short"),
            "short.png": (picture(kind="PNG")[:-4000], "cut short"),
            "absurd.png": (png_header(60_000, 60_000), "absurd dimensions"),
            "tiny.jpg": (picture(16, 16), "too small"),
        }
        for name, (content, reason) in cases.items():
            with self.subTest(name=name), self.assertRaises(UnreadablePicture) as caught:
                examine(self.write(name, content))
            self.assertIn(reason, caught.exception.reason)

    def test_deep_pictures_come_through_unchanged(self) -> None:
        pixels = np.random.default_rng(1).integers(0, 65535, (80, 100, 3), np.uint16)
        tifffile.imwrite(self.folder / "a.tif", pixels, photometric="rgb")
        cv2.imwrite(str(self.folder / "b.png"), pixels[..., ::-1])
        for name in ("a.tif", "b.png"):
            info = examine(self.folder / name)
            self.assertEqual((info.width_px, info.height_px, info.bits), (100, 80, 16))
            np.testing.assert_array_equal(read_picture(self.folder / name), pixels)

    def test_halved_grey_is_the_average(self) -> None:
        path = self.write("a.jpg", picture())
        full = read_grey(path, 1)
        half = read_grey(path, 2)
        wanted = cv2.resize(full, (100, 75), interpolation=cv2.INTER_AREA)
        self.assertLess(float(np.abs(half - wanted).mean()), 0.01)

    def test_a_folder_gives_its_frames_in_order_and_names_the_rest(self) -> None:
        for i in (10, 9, 2):
            self.write(f"IMG_{i}.jpg", picture(seed=i))
        self.write("IMG_3.jpg", picture(100, 100))
        self.write("IMG_4.jpg", b"")
        self.write("notes.txt", b"not a frame")
        frames, left_out = frames_in(self.folder)
        self.assertEqual(frames.names, ("IMG_2.jpg", "IMG_9.jpg", "IMG_10.jpg"))
        self.assertEqual({one.name for one in left_out}, {"IMG_3.jpg", "IMG_4.jpg"})
        self.assertIn("100 × 100", next(one.reason for one in left_out if one.name == "IMG_3.jpg"))

    def test_one_frame_is_too_few(self) -> None:
        self.write("a.jpg", picture())
        with self.assertRaisesRegex(BadInput, "at least 2"):
            frames_in(self.folder)

    def test_numbers_count_in_the_order(self) -> None:
        self.assertEqual(sorted(["b2", "b10", "b1"], key=natural_key), ["b1", "b2", "b10"])


if __name__ == "__main__":
    unittest.main()
