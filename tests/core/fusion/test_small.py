"""Small pictures, kept between the first look and the second."""

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

import cv2
import numpy as np

from amber_ladder.core.fusion._small import SmallPictures
from amber_ladder.formats.pictures import frames_in


class Small(unittest.TestCase):
    def test_large_jpegs_are_seen_whole(self) -> None:
        # Decoders shrink by eight at most: asked for a sixteenth, they give a picture twice as large.
        ramp = np.add.outer(np.linspace(0, 120, 4800), np.linspace(0, 120, 6400)).astype(np.uint8)
        with TemporaryDirectory() as folder:
            for name in ("a.jpg", "b.jpg"):
                cv2.imwrite(str(Path(folder) / name), np.repeat(ramp[..., None], 3, axis=2))
            frames, _ = frames_in(Path(folder))
            small = SmallPictures(frames, 2)
            self.assertEqual(small.shrink, 8)
            found = small.grey(0)
            self.assertEqual(found.shape, (300, 400))
            np.testing.assert_allclose(found[[0, 0, -1, -1], [0, -1, 0, -1]] * 255, [0, 120, 120, 240], atol=2)

    def test_what_there_was_no_room_for_is_made_again_to_the_same_numbers(self) -> None:
        picture = np.random.default_rng(1).integers(0, 255, (512, 640, 3)).astype(np.uint8)
        with TemporaryDirectory() as folder:
            for name in ("a.jpg", "b.jpg"):
                cv2.imwrite(str(Path(folder) / name), picture)
            frames, _ = frames_in(Path(folder))
            kept, anew = SmallPictures(frames, 1), SmallPictures(frames, 1)
            kept.keep(0, frames.grey(0, 1))
            with patch("amber_ladder.core.fusion._small._KEPT_BYTES", 0):
                anew.keep(0, frames.grey(0, 1))
            np.testing.assert_array_equal(kept.grey(0), anew.grey(0))


if __name__ == "__main__":
    unittest.main()
