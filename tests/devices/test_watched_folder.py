"""The watched folder: slow writers, renames, bursts, restarts."""

import shutil
import tempfile
import threading
import time
import unittest
from pathlib import Path

from amber_ladder.devices.stopping import StopToken
from amber_ladder.devices.watched_folder import WatchedFolder
from amber_ladder.formats.pictures import natural_key
from amber_ladder.work.shoot.folder_camera import FolderCamera, why_unreadable
from tests.support.examples import picture
from tests.support.station import until

MANY = 1000


class FolderTest(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="amber-ladder-watched-"))
        self.addCleanup(shutil.rmtree, self.folder)
        self.leaving = threading.Event()
        self.addCleanup(self.leaving.set)
        self.names: list[str] = []
        self.contents: list[bytes] = []
        self.reasons: dict[str, str] = {}

    def watch(self, known: set[str] | None = None) -> None:
        watched = WatchedFolder(self.folder, known=known or set(), whole=why_unreadable, order=natural_key)

        def gather() -> None:
            for arrival in watched.arrivals(self.leaving):
                if arrival.reason:
                    self.reasons[arrival.path.name] = arrival.reason
                else:
                    self.contents.append(arrival.path.read_bytes())
                    self.names.append(arrival.path.name)

        threading.Thread(target=gather, daemon=True).start()


class Arrivals(FolderTest):
    def test_a_thousand_files_slow_renamed_and_in_bursts_all_come_whole_and_in_order(self) -> None:
        self.watch()
        whole = [picture(120, 90, seed=i) for i in range(8)]

        def name(i: int) -> str:
            return f"dsc_{i}.jpg"

        def slowly(i: int) -> None:
            content = whole[i % 8]
            with (self.folder / name(i)).open("wb") as file:
                for part in range(4):
                    file.write(content[part * len(content) // 4 : (part + 1) * len(content) // 4])
                    file.flush()
                    time.sleep(0.02)  # a writer that takes its time is what is tried here

        for i in range(MANY):
            if i % 100 == 7:
                slowly(i)
            elif i % 3 == 0:
                scratch = self.folder / f"{name(i)}.part"
                scratch.write_bytes(whole[i % 8])
                scratch.rename(self.folder / name(i))
            else:
                (self.folder / name(i)).write_bytes(whole[i % 8])
        until(lambda: len(self.names) == MANY, "all files")
        self.assertEqual(self.names, [name(i) for i in range(MANY)])
        self.assertEqual(self.contents, [whole[i % 8] for i in range(MANY)])

    def test_one_that_still_grows_holds_back_those_after_it(self) -> None:
        watched = WatchedFolder(self.folder, known=set(), whole=why_unreadable, order=natural_key)
        content = picture(400, 300)
        first = self.folder / "a_1.jpg"
        first.write_bytes(content[: len(content) // 2])
        (self.folder / "a_2.jpg").write_bytes(content)
        self.assertEqual([watched.ready(0.0), watched.ready(3.0)], [[], []])
        first.write_bytes(content)
        watched.ready(3.1)
        self.assertEqual([one.path.name for one in watched.ready(4.0)], ["a_1.jpg", "a_2.jpg"])

    def test_after_a_restart_only_the_new_ones_come(self) -> None:
        for i in range(3):
            (self.folder / f"b_{i}.jpg").write_bytes(picture(seed=i))
        self.watch(known={"b_0.jpg", "b_1.jpg"})
        until(lambda: self.names == ["b_2.jpg"], "the new one")

    def test_other_files_are_left_alone(self) -> None:
        self.watch()
        (self.folder / "notes.txt").write_text("x")
        (self.folder / ".hidden.jpg").write_bytes(picture())
        (self.folder / "c.png").write_bytes(picture(kind="PNG"))
        until(lambda: self.names == ["c.png"], "the picture")


class Broken(FolderTest):
    def test_a_file_that_never_becomes_whole_is_named_and_the_rest_goes_on(self) -> None:
        watched = WatchedFolder(self.folder, known=set(), whole=why_unreadable, order=natural_key)
        (self.folder / "d_1.jpg").write_bytes(picture()[:200])
        (self.folder / "d_2.jpg").write_bytes(picture())
        watched.ready(0.0)
        self.assertEqual(watched.ready(5.0), [])
        found = watched.ready(11.0)
        self.assertEqual([one.path.name for one in found], ["d_1.jpg", "d_2.jpg"])
        self.assertIn("cut short", found[0].reason or "")
        self.assertIsNone(found[1].reason)


class AsCamera(FolderTest):
    def test_the_next_complete_file_is_the_exposure(self) -> None:
        (self.folder / "there before.jpg").write_bytes(picture(seed=9))
        camera = FolderCamera(self.folder, StopToken())
        shots = [picture(seed=i) for i in range(3)]
        for i, content in enumerate(shots):
            (self.folder / f"e_{i}.jpg").write_bytes(content)
        self.assertEqual([camera.expose().content for _ in shots], shots)


if __name__ == "__main__":
    unittest.main()
