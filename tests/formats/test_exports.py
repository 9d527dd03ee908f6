import csv
import unittest
from io import BytesIO, StringIO
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
from PIL import Image, ImageDraw

from amber_ladder.core.measuring import bar_of, scale_bar
from amber_ladder.formats.exports import BarLook, csv_table, picture_file, with_bar
from amber_ladder.formats.lettering import Lettering
from amber_ladder.formats.picture_notes import PictureNotes
from amber_ladder.launch.serve import SOURCE

PAGES = SOURCE / "web" / "dist"
REFERENCE = Path(__file__).parent / "reference" / "caption.png"


class Exports(unittest.TestCase):
    def test_the_bar_is_as_long_as_it_says(self) -> None:
        picture = np.full((300, 800, 3), 128, np.uint8)
        bar = scale_bar(800, 0.5)
        shown = np.asarray(with_bar(picture, bar, "TH-1", pages=PAGES))
        np.testing.assert_array_equal(shown[:300], picture)
        row = (shown[300:].max(axis=2) < 60).sum(axis=1).max()
        self.assertAlmostEqual(int(row) * 0.5, bar.length_um, delta=1.0)

    def test_in_the_picture_it_stands_in_its_corner_in_a_colour_that_is_seen(self) -> None:
        picture = np.full((400, 800, 3), 30, np.uint8)
        picture[:, 400:] = 220
        bar = bar_of(130.0, 0.5)
        self.assertEqual(bar.label, "130 µm")
        for place, rows, columns, ink in (
            ("top left", np.s_[:100], np.s_[:400], 255), ("bottom right", np.s_[300:], np.s_[400:], 0),
        ):  # fmt: skip
            with self.subTest(place):
                shown = np.asarray(with_bar(picture, bar, "TH-1", BarLook(place, letter_px=20), pages=PAGES))  # type: ignore[arg-type]
                self.assertEqual(shown.shape, picture.shape)
                inked = (shown == ink).all(axis=2)
                self.assertEqual(int(inked[rows, columns].sum()), int(inked.sum()))
                self.assertAlmostEqual(int(inked.sum(axis=1).max()), bar.length_px, delta=1)
        white = np.asarray(with_bar(picture, bar, "", BarLook("top right", "white"), pages=PAGES))
        self.assertTrue((white[:100, 400:] == 255).all(axis=2).any())

    def test_a_long_bar_and_a_long_caption_do_not_cross(self) -> None:
        picture, bar = np.zeros((10, 600, 3), np.uint8), bar_of(500.0, 1.0)
        one, two = (with_bar(picture, bar, caption, pages=PAGES) for caption in ("TH", "TH-1 a name that is long"))
        self.assertAlmostEqual((two.height - 10) / (one.height - 10), 2.0, delta=0.1)
        strip = np.asarray(two.convert("L"))[10:]
        middle = len(strip) // 2
        self.assertGreater(int((strip[middle:] < 60).sum(axis=1).max()), 498)  # the bar
        self.assertTrue(0 < int((strip[:middle] < 60).sum(axis=1).max()) < 300)  # the caption alone

    def test_captions_and_scales_are_set_with_every_letter_that_labels_use(self) -> None:
        bar = scale_bar(900, 0.13)
        sheet = with_bar(np.zeros((8, 900, 3), np.uint8), bar, "TH-1 Žďár 苔 °–×", pages=PAGES)
        strip = np.asarray(sheet.convert("L"))[8:].astype(int)
        kept = np.asarray(Image.open(REFERENCE)).astype(int)
        self.assertEqual(strip.shape, kept.shape)
        self.assertLess(float(np.abs(strip - kept).mean()), 0.5)

    def test_a_picture_says_whose_it_is_and_its_scale_as_others_read_it(self) -> None:
        notes = PictureNotes(
            title="TH-1 moss & lid", catalogue_number="TH-1", determination="Bryum capillare", creator="Å. Fell",
            rights_holder="Tarn Hollow", licence="CC BY 4.0", made_by="focus stack of 27 frames, merged by auto",
            scale="scale 0.75 ± 0.002 (k = 2) µm/px, measured", software="Amber Ladder 0", merged_at="2026-11-28T12:00:00+00:00",
        )  # fmt: skip
        dwc, ac = "{http://rs.tdwg.org/dwc/terms/}", "{http://rs.tdwg.org/ac/terms/}"
        for kind in ("PNG", "JPEG"):
            with self.subTest(kind):
                file = picture_file(np.zeros((8, 9, 3), np.uint8), kind, um_per_px=0.75, notes=notes)
                shown = Image.open(BytesIO(file))
                shown.load()
                self.assertAlmostEqual(shown.info["dpi"][0], 25_400 / 0.75, delta=0.6)
                told = shown.getexif()
                self.assertEqual((told[315], told[33432]), ("?. Fell", "Tarn Hollow, CC BY 4.0"))
                self.assertIn("scale 0.75 +- 0.002 (k = 2) um/px, measured", told[270])
                packet = shown.info["xmp"] if kind == "JPEG" else shown.info["XML:com.adobe.xmp"].encode()
                root = ElementTree.fromstring(packet.decode().split("?>", 1)[1].rsplit("<?", 1)[0])
                dc = "{http://purl.org/dc/elements/1.1/}"
                self.assertEqual([one.text for one in root.iterfind(f".//{dc}creator//*[last()]")][-1], "Å. Fell")
                self.assertEqual(root.findtext(f".//{dwc}scientificName"), "Bryum capillare")
                self.assertEqual(root.findtext(f".//{ac}comments"), notes.scale)
                self.assertEqual("".join(root.find(f".//{dc}title").itertext()), "TH-1 moss & lid")  # type: ignore[union-attr]

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
