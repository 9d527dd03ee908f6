import shutil
import tempfile
import unittest
from datetime import datetime, timedelta
from pathlib import Path

import cv2
import numpy as np
import tifffile

from amber_ladder.core.frames import no_progress
from amber_ladder.errors import BadInput
from amber_ladder.formats.metadata import Noted
from amber_ladder.work.on_disk.checking import OnCard, check_folder, files_on, shooting_order
from tests.support.cards import three_takes, write_card


def named(*names: str, times: list[datetime] | None = None) -> list[OnCard]:
    return [OnCard(name, Path(name), Noted(captured_at=times[at] if times else None)) for at, name in enumerate(names)]


class TestShootingOrder(unittest.TestCase):
    def order(self, files: list[OnCard]) -> list[str]:
        return [file.name for file in shooting_order(files)]

    def test_numbers_are_counted(self) -> None:
        self.assertEqual(self.order(named("b10.jpg", "b9.jpg", "b11.jpg")), ["b9.jpg", "b10.jpg", "b11.jpg"])

    def test_after_9999_a_camera_begins_anew(self) -> None:
        files = named(*(f"TH{n:04d}.JPG" for n in (1, 2, 3, 9997, 9998, 9999)))
        self.assertEqual([name[2:6] for name in self.order(files)], ["9997", "9998", "9999", "0001", "0002", "0003"])

    def test_a_gap_alone_is_no_new_beginning(self) -> None:
        files = named(*(f"TH{n:04d}.JPG" for n in (1, 2, 9000, 9001)))
        self.assertEqual([name[2:6] for name in self.order(files)], ["0001", "0002", "9000", "9001"])

    def test_folders_come_one_after_the_other(self) -> None:
        files = named("101T/TH0001.JPG", "100T/TH9999.JPG", "100T/TH9998.JPG")
        self.assertEqual(self.order(files), ["100T/TH9998.JPG", "100T/TH9999.JPG", "101T/TH0001.JPG"])

    def test_time_goes_before_names_and_numbers_decide_within_a_second(self) -> None:
        noon = datetime(2026, 3, 14, 12)
        later = noon + timedelta(seconds=5)
        files = named("z2.jpg", "z1.jpg", "a9.jpg", times=[noon, noon, later])
        self.assertEqual(self.order(files), ["z1.jpg", "z2.jpg", "a9.jpg"])

    def test_where_one_file_has_no_time_names_decide(self) -> None:
        files = [*named("b1.jpg", times=[datetime(2026, 3, 14)]), *named("a1.jpg")]
        self.assertEqual(self.order(files), ["a1.jpg", "b1.jpg"])


class TestCheckFolder(unittest.TestCase):
    def setUp(self) -> None:
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.folder = Path(scratch.name) / "card"
        self.folder.mkdir()

    def test_a_card_is_told_as_the_contract_says(self) -> None:
        one = three_takes()
        write_card(one.card, self.folder)
        told = check_folder(self.folder, no_progress)
        self.assertEqual(set(told), {"stacks", "borders", "separators", "unreadable"})
        self.assertEqual([stack["frames"] for stack in told["stacks"]], [one.frames(n) for n in range(3)])
        self.assertEqual([stack["order"] for stack in told["stacks"]], ["near-first", "near-first", "far-first"])
        self.assertEqual([s["ends_reached"]["far"] for s in told["stacks"]], [True, False, True])
        flags = {(flag["file"], flag["kind"]) for flag in told["stacks"][0]["flags"]}
        self.assertEqual(flags, one.true_flags(0))
        self.assertTrue(all(flag["reason"] and flag["figure"] is not None for flag in told["stacks"][0]["flags"]))
        (gap,) = told["stacks"][2]["gaps"]
        self.assertEqual((gap["after"], gap["before"]), one.card.takes[2].gaps[0][:2])
        self.assertLessEqual(set(told["stacks"][0]["trim"]), {"first", "last"})
        self.assertGreater(told["stacks"][0]["thin"]["worst_blur_px"], 0.0)

    def test_what_cannot_be_read_is_named_and_disturbs_nothing(self) -> None:
        one = three_takes()
        write_card(one.card, self.folder)
        whole = check_folder(self.folder, no_progress)
        first = self.folder / one.frames(0)[0]
        (self.folder / "TH0000.JPG").write_bytes(b"")
        (self.folder / "TH0005a.JPG").write_text("no picture")
        (self.folder / "TH0007a.JPG").write_bytes(first.read_bytes()[:3000])
        (self.folder / "TH0009a.JPG").symlink_to("/etc/passwd")
        header = bytearray(first.read_bytes())
        at = header.index(b"\xff\xc0") + 5
        header[at : at + 4] = (60_000).to_bytes(2, "big") * 2
        (self.folder / "TH0011a.JPG").write_bytes(bytes(header))
        (self.folder / "elsewhere").symlink_to("/usr", target_is_directory=True)
        (self.folder / "notes.txt").write_text("not asked for")
        told = check_folder(self.folder, no_progress)
        reasons = {one["file"]: one["reason"] for one in told["unreadable"]}
        self.assertEqual(
            set(reasons), {"TH0000.JPG", "TH0005a.JPG", "TH0007a.JPG", "TH0009a.JPG", "TH0011a.JPG", "elsewhere"}
        )
        self.assertIn("empty", reasons["TH0000.JPG"])
        self.assertIn("no JPEG, PNG or TIFF", reasons["TH0005a.JPG"])
        self.assertIn("cut short", reasons["TH0007a.JPG"])
        self.assertIn("link", reasons["TH0009a.JPG"])
        self.assertIn("absurd", reasons["TH0011a.JPG"])
        self.assertEqual(told["stacks"], whole["stacks"])

    def test_two_files_of_one_name_in_two_folders_are_two(self) -> None:
        one = three_takes()
        for folder in ("100TARN", "101TARN"):
            (self.folder / folder).mkdir()
            for name in one.frames(1):
                shutil.copy(self._content(name), self.folder / folder / name)
        told = check_folder(self.folder, no_progress)
        self.assertEqual([stack["frames"][0][:7] for stack in told["stacks"]], ["100TARN", "101TARN"])
        self.assertIn("folder 101TARN begins", told["borders"][0]["reason"])

    def _content(self, name: str) -> Path:
        path = self.folder.parent / name
        path.write_bytes(next(file.content for file in three_takes().card.files if file.path == name))
        return path

    def test_png_and_tiff_of_8_and_16_bits_are_taken_like_jpeg(self) -> None:
        one = three_takes()
        for number, name in enumerate(one.frames(1)):
            picture = cv2.imread(str(self._content(name)))
            assert picture is not None
            if number % 2:
                cv2.imwrite(str(self.folder / f"f{number:02d}.png"), picture)
            else:
                tifffile.imwrite(self.folder / f"f{number:02d}.tif", picture[..., ::-1], photometric="rgb")
        (stack,) = check_folder(self.folder, no_progress)["stacks"]
        self.assertEqual((len(stack["frames"]), stack["order"]), (len(one.frames(1)), "near-first"))
        deep = np.asarray(tifffile.imread(self.folder / "f00.tif"), np.uint16) * 257
        tifffile.imwrite(self.folder / "f00.tif", deep, photometric="rgb")
        self.assertIn("16 bits", check_folder(self.folder, no_progress)["borders"][0]["reason"])

    def test_odd_names_are_told_and_printable(self) -> None:
        names = ("Ægir ü 1.JPG", "with space 2.JPG", "x" * 200 + "3.JPG")
        for name in names:
            shutil.copy(self._content(three_takes().frames(1)[0]), self.folder / name)
        bad = bytes(self.folder) + b"/\xff4.JPG"
        with open(bad, "wb") as file:
            file.write(b"nothing")
        told = check_folder(self.folder, no_progress)
        self.assertEqual({name for stack in told["stacks"] for name in stack["frames"]}, set(names))
        (strange,) = told["unreadable"]
        strange["file"].encode("utf-8")

    def test_an_empty_folder_is_empty_and_a_missing_one_is_refused(self) -> None:
        self.assertEqual(check_folder(self.folder, no_progress)["stacks"], [])
        with self.assertRaisesRegex(BadInput, "is not a folder"):
            files_on(self.folder / "nowhere")

    def test_progress_counts_every_file_and_can_stop_it(self) -> None:
        write_card(three_takes().card, self.folder)
        told: list[tuple[int, int]] = []
        check_folder(self.folder, lambda phase, done, total: told.append((done, total)))
        self.assertEqual(told[-1], (len(three_takes().card.files),) * 2)

        def stop(phase: str, done: int, total: int) -> None:
            if done > 12:
                raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            check_folder(self.folder, stop)
