"""A folder of the station is fetched as a card: what is strange in it is named, and disturbs nothing else."""

import os
import tempfile
import threading
import unittest
from pathlib import Path

from amber_ladder.errors import BadInput
from amber_ladder.settings import settings
from amber_ladder.work import card
from tests.support.examples import picture
from tests.support.station import database
from tests.support.takes import have_done


class Fetched(unittest.TestCase):
    def setUp(self) -> None:
        database()
        scratch = tempfile.TemporaryDirectory(dir="/tmp")
        self.addCleanup(scratch.cleanup)
        self.folder = Path(scratch.name) / "DCIM"
        self.folder.mkdir()
        self.number = card.begin(card.CardEntry(name=self.id()[-100:])).id

    def put(self, name: str, content: bytes) -> Path:
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
        return path

    def fetch(self) -> card.CardView:
        task = card.fetch_folder(self.number, card.FolderEntry(folder=str(self.folder))).task
        assert task is not None
        have_done(task.id)
        view = card.read(self.number)
        assert view.task is not None
        self.assertEqual(view.task.state, "done", view.task.message)
        return view

    def refused(self, view: card.CardView) -> dict[str, str]:
        return {file.name: file.refused for file in view.files if file.refused}

    def test_what_is_strange_is_named_and_the_rest_is_taken(self) -> None:
        for at in range(4):
            self.put(f"100TH/TH{at:04d}.JPG", picture(seed=1, shot=at))
        self.put("101TH/TH0000.JPG", picture(seed=2))
        self.put("a picture.jpg", picture(seed=3, kind="PNG"))
        self.put("ümlaut & line\nbreak.jpg", picture(seed=4))
        self.put("text.jpg", b"hello")
        self.put("empty.png", b"")
        self.put("cut.jpg", picture(seed=5)[:900])
        self.put("cut.dng", b"II*\0\x08\0\0\0")
        self.put("notes.txt", b"no picture by its name")
        self.put(".hidden.jpg", picture(seed=6))
        huge = bytearray(picture(seed=7))
        at = huge.index(b"\xff\xc0") + 5
        huge[at : at + 4] = (60_000).to_bytes(2, "big") * 2
        self.put("huge.jpg", bytes(huge))
        (self.folder / "link.jpg").symlink_to("/etc/hostname")
        (self.folder / "loop").symlink_to(self.folder)
        os.mkfifo(self.folder / "pipe.jpg")
        view = self.fetch()
        refused = self.refused(view)
        self.assertEqual(
            set(refused), {"text.jpg", "empty.png", "cut.jpg", "cut.dng", "huge.jpg", "link.jpg", "pipe.jpg"}
        )
        self.assertIn("link", refused["link.jpg"])
        self.assertIn("60000", refused["huge.jpg"].replace(" ", "").replace("\u202f", ""))
        taken = {file.name for file in view.files} - set(refused)
        self.assertEqual(len(taken), 7)
        self.assertIn("ümlaut & line\\x0abreak.jpg", taken)
        self.assertEqual(sum(len(one.files) for one in view.stacks) + len(view.separators), 7)

    def test_fetched_again_only_what_is_new_is_read_and_a_persons_word_stays(self) -> None:
        for at in range(6):
            self.put(f"TH{at:04d}.JPG", picture(seed=1, shot=at))
        first = self.fetch()
        ids = {file.name: file.id for file in first.files}
        card.leave_out(self.number, card.LeftOutEntry(files=[ids["TH0002.JPG"]], reason="a hair"))
        self.put("TH0006.JPG", picture(seed=1, shot=6))
        again = self.fetch()
        self.assertEqual({file.name: file.id for file in again.files if file.name in ids}, ids)
        self.assertEqual(len(again.files), 7)
        by_hand = {out.file: out.reason for one in again.stacks for out in one.left_out if out.by_hand}
        self.assertEqual(by_hand, {ids["TH0002.JPG"]: "a hair"})

    def test_a_file_that_still_grows_is_left_until_it_is_whole(self) -> None:
        # Large enough that it grows while it is read, however busy the machine is.
        path, over = self.put("growing.jpg", picture(seed=1) + bytes(60_000_000)), threading.Event()
        self.put("whole.jpg", picture(seed=2))

        def grow() -> None:
            with path.open("ab", buffering=0) as file:
                while not over.is_set():
                    file.write(b"\0")

        writer = threading.Thread(target=grow)
        writer.start()
        try:
            view = self.fetch()
        finally:
            over.set()
            writer.join()
        self.assertIn("still grows", self.refused(view)["growing.jpg"])
        self.assertEqual(self.refused(self.fetch()), {})

    def test_only_places_that_the_station_allows(self) -> None:
        for folder in ("/etc", str(settings().data), "DCIM", "/tmp/../etc", str(self.folder / "nothing")):
            with self.assertRaises(BadInput, msg=folder):
                card.fetch_folder(self.number, card.FolderEntry(folder=folder))
        self.assertIsNone(card.read(self.number).task)


if __name__ == "__main__":
    unittest.main()
