"""Lists of specimens as spreadsheets and other houses write them, and what is no list."""

import io
import unittest
import zipfile

from amber_ladder.errors import BadInput
from amber_ladder.formats.specimen_table import guessed, read_table

META = """<archive xmlns="http://rs.tdwg.org/dwc/text/"><core encoding="UTF-8" fieldsTerminatedBy="\\t" linesTerminatedBy="\\n"
 fieldsEnclosedBy="" ignoreHeaderLines="1" rowType="http://rs.tdwg.org/dwc/terms/Occurrence">
 <files><location>occurrence.txt</location></files><id index="0"/>
 <field index="1" term="http://rs.tdwg.org/dwc/terms/catalogNumber"/>
 <field index="2" term="http://rs.tdwg.org/dwc/terms/scientificName"/></core></archive>"""


def archive(**files: str) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as target:
        for name, content in files.items():
            target.writestr(name.replace("__", "."), content)
    return out.getvalue()


class Tables(unittest.TestCase):
    def test_separators_encodings_quotes_and_lines_in_cells(self) -> None:
        rows = ((2, ("TH-1", "Fell, A.", "µ")), (3, ("TH-2", "two\nlines", "")))
        text = 'number{0}"who"{0}note\nTH-1{0}"Fell, A."{0}µ\nTH-2{0}"two\nlines"{0}\n'
        for content in (text.format(",").encode(), text.format(";").encode("utf-8-sig"), text.format("\t").encode("cp1252"),
                        text.format(";").replace("\n", "\r\n").encode("utf-16")):  # fmt: skip
            found = read_table([content[:9], content[9:]])
            self.assertEqual((found.heads, found.rows), (("number", "who", "note"), rows))

    def test_empty_lines_are_none_and_lines_keep_their_numbers(self) -> None:
        found = read_table([b"number,name\n\nTH-1,moss\n ,\nTH-2,fern\n"])
        self.assertEqual([number for number, _ in found.rows], [3, 5])

    def test_columns_are_known_by_usual_words_and_by_those_of_darwin_core(self) -> None:
        self.assertEqual(
            guessed(
                [
                    "catalogNumber",
                    "scientificName",
                    "Recorded By",
                    "recordedBy",
                    "eventDate",
                    "decimalLatitude",
                    "Species",
                ]
            ),
            {0: "catalogue_number", 1: "determination", 3: "collector", 4: "collected_on", 5: "latitude"},
        )

    def test_the_core_of_an_archive(self) -> None:
        found = read_table(
            [archive(meta__xml=META, occurrence__txt="id\tcat\tsci\n1\tTH-1\tBryum sp.\n2\tTH-2\tFunaria\n")]
        )
        self.assertEqual(found.heads, ("column 1", "catalogNumber", "scientificName"))
        self.assertEqual(found.rows, ((2, ("1", "TH-1", "Bryum sp.")), (3, ("2", "TH-2", "Funaria"))))

    def test_what_is_no_list_is_said(self) -> None:
        for content, words in (
            (b"", "no line"), (b"number,name\n", "only one line"), (b'a,b\n"x,1\n', "no table"),
            (archive(other__txt="x"), "holds no meta.xml"), (archive(meta__xml="<archive"), "cannot be read"),
            (archive(meta__xml="<archive/>"), "names no core"), (archive(meta__xml=META), "cannot be read"),
            (b"PK\x03\x04 no", "cannot be read"),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                read_table([content])
        with self.assertRaisesRegex(BadInput, "more than 50 MB"):
            read_table(b"x" * 1_000_000 for _ in range(51))
