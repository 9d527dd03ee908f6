import hashlib
import stat
import tempfile
import unittest
from pathlib import Path

from amber_ladder.errors import NotFound
from amber_ladder.store.frame_store import FrameStore


class Originals(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.store = FrameStore(self.folder)

    def test_an_original_is_kept_once_under_its_checksum_and_cannot_be_written(self) -> None:
        content = [b"one", b"two"]
        wanted = hashlib.sha256(b"onetwo").hexdigest()
        first = self.store.adopt(self.store.receive(content), ".jpg")
        second = self.store.adopt(self.store.receive(content), ".jpg")
        self.assertEqual(first, second)
        self.assertEqual(self.store.original(wanted, ".jpg").read_bytes(), b"onetwo")
        self.assertEqual(stat.S_IMODE(first.stat().st_mode), 0o444)
        self.assertEqual(len([p for p in self.folder.rglob("*") if p.is_file()]), 1)

    def test_what_breaks_off_leaves_nothing(self) -> None:
        def broken() -> object:
            yield b"some"
            raise ConnectionError

        with self.assertRaises(ConnectionError):
            self.store.receive(broken())  # type: ignore[arg-type]
        self.assertEqual([p for p in self.folder.rglob("*") if p.is_file()], [])

    def test_a_lost_original_is_named(self) -> None:
        with self.assertRaisesRegex(NotFound, "missing from the data folder"):
            self.store.original("ab" * 32, ".jpg")


if __name__ == "__main__":
    unittest.main()
