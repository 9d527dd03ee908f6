"""Packages: read by others' readers, and a byte that changed anywhere in one is found."""

import io
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path
from zipfile import ZIP_DEFLATED, ZipFile

import bagit

from amber_ladder.errors import BadInput
from amber_ladder.formats.bags import Bag, BagFault, Packed, write_bag
from amber_ladder.formats.zips import ZipStream

INFO = {"Bag-Software-Agent": "Amber Ladder 0", "External-Identifier": "TH-1"}
FILES = [
    Packed("originals/a.jpg", b"first frame"), Packed("originals/50 % µ.jpg", b"second"), Packed("record.json", b"{}"),
]  # fmt: skip


def ignore(_bytes: int) -> None:
    pass


def written(files: list[Packed]) -> bytes:
    out = io.BytesIO()
    write_bag(out, "TH-1", files, INFO, ignore)
    return out.getvalue()


class Bags(unittest.TestCase):
    def setUp(self) -> None:
        self.home = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.home)
        self.path = self.home / "bag.zip"

    def faults(self, content: bytes) -> list[BagFault]:
        self.path.write_bytes(content)
        try:
            bag = Bag(self.path)
        except BadInput as error:
            return [BagFault(".", str(error))]
        try:
            return bag.faults(ignore)
        finally:
            bag.close()

    def test_it_holds_as_written_and_others_read_it(self) -> None:
        # This reader knows no percent signs in names, which the standard has written as %25.
        files = [Packed("originals/µ 1.jpg", b"second"), *FILES[::2]]
        self.assertEqual(self.faults(written(files)), [])
        with ZipFile(self.path) as file:
            self.assertIsNone(file.testzip())
            file.extractall(self.home)
        self.assertTrue(bagit.Bag(str(self.home / "TH-1")).validate())
        self.assertEqual((self.home / "TH-1" / "data" / "originals" / "µ 1.jpg").read_bytes(), b"second")
        if shutil.which("unzip"):
            subprocess.run(["unzip", "-tqq", str(self.path)], check=True)

    def test_names_with_percent_signs_come_back(self) -> None:
        self.assertEqual(self.faults(written(FILES)), [])
        bag = Bag(self.path)
        self.addCleanup(bag.close)
        self.assertEqual(bag.read("originals/50 % µ.jpg"), b"second")

    def test_the_same_files_give_the_same_bytes(self) -> None:
        self.assertEqual(written(FILES), written(FILES))

    def test_a_flip_of_any_byte_is_found(self) -> None:
        content = written(FILES)
        missed = [at for at in range(len(content)) if not self.faults(_flipped(content, at, 0x01))]
        missed += [at for at in range(0, len(content), 3) if not self.faults(_flipped(content, at, 0x80))]
        self.assertEqual(missed, [])

    def test_a_flip_in_a_file_is_named(self) -> None:
        content = written(FILES)
        for packed in FILES:
            assert isinstance(packed.content, bytes)
            (fault,) = self.faults(_flipped(content, content.index(packed.content), 0x10))
            self.assertEqual(fault.path, f"data/{packed.name}")
            self.assertIn("damaged", fault.reason)

    def test_a_file_changed_with_its_zip_made_anew_is_named(self) -> None:
        def changed(name: str, into: bytes | None) -> list[BagFault]:
            self.path.write_bytes(written(FILES))
            out = io.BytesIO()
            with ZipFile(self.path) as old, ZipFile(out, "w", ZIP_DEFLATED) as new:
                for one in old.infolist():
                    content = into if one.filename == f"TH-1/{name}" else old.read(one)
                    if content is not None:
                        new.writestr(one.filename, content)
                if name == "data/extra.jpg":
                    new.writestr(f"TH-1/{name}", b"put in")
            return self.faults(out.getvalue())

        told = {name: [(one.path, one.reason.split(":")[0]) for one in changed(name, into)]
                for name, into in (("data/originals/a.jpg", b"first frome"), ("data/record.json", None),
                                   ("data/extra.jpg", None), ("manifest-sha256.txt", b""))}  # fmt: skip
        sums = "its checksum (SHA-256) is not the one that was written down"
        self.assertEqual(told["data/originals/a.jpg"], [("data/originals/a.jpg", sums)])
        self.assertEqual(told["data/record.json"], [("data/record.json", "missing")])
        self.assertEqual(told["data/extra.jpg"], [("data/extra.jpg", "stands in no manifest")])
        self.assertIn(("manifest-sha256.txt", sums), told["manifest-sha256.txt"])

    def test_a_damaged_original_is_not_packed(self) -> None:
        with self.assertRaisesRegex(BadInput, "originals/a.jpg is not what it was"):
            written([Packed("originals/a.jpg", b"first frame", "0" * 64)])

    def test_what_is_no_package(self) -> None:
        out = io.BytesIO()
        with ZipFile(out, "w") as file:
            file.writestr("a/b.txt", "x")
        for content, words in ((b"", "cannot be read as a zip"), (b"PK\x03\x04", "cannot be read as a zip"),
                               (out.getvalue(), "holds neither bagit.txt")):  # fmt: skip
            (fault,) = self.faults(content)
            self.assertIn(words, fault.reason)

    def test_a_file_of_another_size_than_it_was_said_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "has 3 bytes, not 4"):
            list(ZipStream().file("a", 4, [b"abc"]))


def _flipped(content: bytes, at: int, bits: int) -> bytes:
    return content[:at] + bytes([content[at] ^ bits]) + content[at + 1 :]
