import csv
import unittest
from io import BytesIO, StringIO
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw

from amber_ladder.core.measuring import scale_bar
from amber_ladder.formats.exports import csv_table, png_with_bar
from amber_ladder.formats.lettering import Lettering
from amber_ladder.launch.serve import SOURCE

PAGES = SOURCE / "web" / "dist"
REFERENCE = Path(__file__).parent / "reference" / "caption.png"


class Exports(unittest.TestCase):
    def test_the_bar_is_as_long_as_it_says(self) -> None:
        picture = np.full((300, 800, 3), 128, np.uint8)
        bar = scale_bar(800, 0.5)
        shown = np.asarray(Image.open(BytesIO(png_with_bar(picture, bar, "TH-1", pages=PAGES))))
        np.testing.assert_array_equal(shown[:300], picture)
        row = (shown[300:].max(axis=2) < 60).sum(axis=1).max()
        self.assertAlmostEqual(int(row) * 0.5, bar.length_um, delta=1.0)

    def test_captions_and_scales_are_set_with_every_letter_that_labels_use(self) -> None:
        bar = scale_bar(900, 0.13)
        sheet = Image.open(BytesIO(png_with_bar(np.zeros((8, 900, 3), np.uint8), bar, "TH-1 Žďár 苔 °–×", pages=PAGES)))
        strip = np.asarray(sheet.convert("L"))[8:].astype(int)
        kept = np.asarray(Image.open(REFERENCE)).astype(int)
        self.assertEqual(strip.shape, kept.shape)
        self.assertLess(float(np.abs(strip - kept).mean()), 0.5)

    def test_no_letter_is_the_box_of_a_missing_one(self) -> None:
        box = drawn("\uffff")
        for letter in "µž°苔Å±":
            with self.subTest(letter):
                self.assertFalse(np.array_equal(drawn(letter), box))
                self.assertGreater(int((drawn(letter) < 128).sum()), 20)

    def test_tables_survive_commas_and_run_nothing(self) -> None:
        text = csv_table(("a", "b"), [("x, y", '=cmd("z")'), ("-9 °C", 3)])
        rows = list(csv.reader(StringIO(text)))
        self.assertEqual(rows[1], ["x, y", '\'=cmd("z")'])
        self.assertEqual(rows[2], ["'-9 °C", "3"])


def drawn(letter: str) -> np.ndarray:
    picture = Image.new("RGB", (60, 60), (255, 255, 255))
    Lettering(PAGES, 40).draw(ImageDraw.Draw(picture), 5, 30, letter, (0, 0, 0))
    return np.asarray(picture.convert("L"))


if __name__ == "__main__":
    unittest.main()
