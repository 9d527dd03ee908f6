import os
import subprocess
import tempfile
import unittest
from pathlib import Path

import numpy as np

from amber_ladder.errors import BadInput, StorageFull
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.tiles import make_tiles
from amber_ladder.store.frame_store import FrameStore


class AllOrNothing(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def test_files_appear_only_when_all_are_there(self) -> None:
        out = self.folder / "out"
        with folder_in_one_piece(out) as scratch:
            (scratch / "a").write_text("1")
            self.assertFalse(out.exists())
        self.assertEqual((out / "a").read_text(), "1")

    def test_a_failure_leaves_what_was_there(self) -> None:
        out = self.folder / "out"
        out.mkdir()
        (out / "a").write_text("old")
        with self.assertRaises(ZeroDivisionError), folder_in_one_piece(out) as scratch:
            (scratch / "a").write_text("new")
            raise ZeroDivisionError
        self.assertEqual((out / "a").read_text(), "old")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["out"])

    def test_a_file_is_no_folder(self) -> None:
        (self.folder / "f").write_text("")
        with self.assertRaises(BadInput), folder_in_one_piece(self.folder / "f"):
            pass


class FullDisk(unittest.TestCase):
    def setUp(self) -> None:
        if os.geteuid() != 0:
            self.skipTest("a small disk can be mounted by root only")
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.disk = Path(holder.name)
        mounted = subprocess.run(
            ["mount", "-t", "tmpfs", "-o", "size=300k", "tmpfs", holder.name], check=False, capture_output=True
        )
        if mounted.returncode != 0:
            self.skipTest("this machine mounts nothing")
        self.addCleanup(subprocess.run, ["umount", holder.name], check=True)

    def test_results_are_refused_whole(self) -> None:
        with self.assertRaises(StorageFull), folder_in_one_piece(self.disk / "out") as scratch:
            (scratch / "a").write_bytes(b"x" * 1_000_000)
        self.assertEqual(list(self.disk.iterdir()), [])

    def test_tiles_are_refused_whole(self) -> None:
        noise = np.random.default_rng(1).integers(0, 256, (600, 800, 3), np.uint8)
        for filled in (0, 240_000):  # the picture's tiles do not fit; and what follows them does not
            (self.disk / "filler").write_bytes(bytes(filled))
            with self.subTest(filled), self.assertRaises(StorageFull):
                make_tiles(noise, self.disk / "out")
            self.assertEqual([one.name for one in self.disk.iterdir()], ["filler"])

    def test_an_original_is_refused_whole_and_taken_once_there_is_room(self) -> None:
        store = FrameStore(self.disk)
        with self.assertRaises(StorageFull):
            store.receive([b"x" * 100_000] * 5)
        self.assertEqual([p for p in self.disk.rglob("*") if p.is_file()], [])
        received = store.receive([b"x" * 1000])
        self.assertEqual(store.adopt(received, ".jpg").read_bytes(), b"x" * 1000)


if __name__ == "__main__":
    unittest.main()
