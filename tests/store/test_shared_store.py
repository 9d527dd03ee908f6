"""The store that several machines share, in a folder and on a real S3 server."""

import hashlib
import os
import shutil
import tempfile
import unittest
from pathlib import Path
from unittest.mock import patch

from amber_ladder.errors import BadInput, NotFound, SharedStoreAway
from amber_ladder.store.shared_store import SharedStore
from tests.support import s3

CONTENT = bytes(range(256)) * 60_000  # in several parts


class InAFolder(unittest.TestCase):
    def setUp(self) -> None:
        self.here = Path(tempfile.mkdtemp(prefix="amber-ladder-shared-"))
        self.addCleanup(shutil.rmtree, self.here)
        self.file = self.here / "frame.jpg"
        self.file.write_bytes(CONTENT)
        self.sha256 = hashlib.sha256(CONTENT).hexdigest()
        self.store = self.open()

    def open(self) -> SharedStore:
        (self.here / "shared").mkdir()
        return SharedStore((self.here / "shared").as_uri())

    def test_what_was_brought_is_fetched_as_it_was(self) -> None:
        self.assertFalse(self.store.has("originals/ab/frame.jpg"))
        self.store.put("originals/ab/frame.jpg", self.file)
        self.assertTrue(self.store.has("originals/ab/frame.jpg"))
        target = self.here / "cache" / "ab" / "frame.jpg"
        self.store.fetch("originals/ab/frame.jpg", target, self.sha256)
        self.assertEqual(target.read_bytes(), CONTENT)
        self.assertEqual([one.name for one in target.parent.iterdir()], ["frame.jpg"])
        self.store.remove("originals/ab/frame.jpg")
        self.store.remove("originals/ab/frame.jpg")
        self.assertFalse(self.store.has("originals/ab/frame.jpg"))

    def test_what_came_damaged_is_not_taken_and_not_left(self) -> None:
        self.file.write_bytes(CONTENT[:-1] + b"x")
        self.store.put("frame.jpg", self.file)
        target = self.here / "cache" / "frame.jpg"
        with self.assertRaisesRegex(NotFound, "damaged"):
            self.store.fetch("frame.jpg", target, self.sha256)
        self.assertEqual(list(target.parent.iterdir()), [])
        self.assertFalse(self.store.has("frame.jpg"))

    def test_what_is_not_there_is_not_found(self) -> None:
        with self.assertRaises(NotFound):
            self.store.fetch("nothing.jpg", self.here / "nothing.jpg", self.sha256)
        self.assertFalse((self.here / "nothing.jpg").exists())


class OnS3(InAFolder):
    def open(self) -> SharedStore:
        with patch.dict(os.environ, s3.bucket(self.addCleanup)):
            return SharedStore(s3.URL)


class Addresses(unittest.TestCase):
    def test_a_store_that_does_not_answer_is_said_to_be_away(self) -> None:
        with patch.dict(os.environ, s3.nobody()):
            store = SharedStore(s3.URL)
        with self.assertRaisesRegex(SharedStoreAway, "does not answer"):
            store.has("frame.jpg")

    def test_an_address_that_cannot_be_used_is_named(self) -> None:
        for url in ("ftp://pond", "/shared", "file:///no/such/folder", "s3://"):
            with self.subTest(url), self.assertRaisesRegex(BadInput, url):
                SharedStore(url)


if __name__ == "__main__":
    unittest.main()
