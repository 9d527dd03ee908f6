"""A disk that fills, for files and for the database, and empties again."""

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import unittest
import urllib.error
import urllib.request
from pathlib import Path
from typing import Any

from amber_ladder.launch.serve import SOURCE
from tests.support.examples import SPECIMEN, picture
from tests.support.station import until


class SmallDisk(unittest.TestCase):
    """A disk of its own, which root alone can mount."""

    def setUp(self) -> None:
        self.disk = Path(tempfile.mkdtemp(prefix="amber-ladder-full-", dir="/tmp"))
        mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=160m,mode=755", "none", self.disk], check=False)
        if mounted.returncode != 0:
            self.skipTest("a small disk can be mounted by root only")
        self.addCleanup(shutil.rmtree, self.disk, ignore_errors=True)
        self.addCleanup(lambda: subprocess.run(["umount", "-l", self.disk], check=False))
        self.environment = {**os.environ, "AMBER_LADDER_DATA": str(self.disk / "data"),
                            "PYTHONPATH": str(SOURCE / "src"), "AMBER_LADDER_PAGES": str(SOURCE / "web" / "dist")}  # fmt: skip
        self.environment.pop("AMBER_LADDER_DATABASE_URL", None)


_START = [sys.executable, "-m", "amber_ladder.launch", "start", "--port", "0"]


class ReadOnly(SmallDisk):
    def test_a_disk_that_cannot_be_written_is_named_at_the_start(self) -> None:
        subprocess.run(["mount", "-o", "remount,ro", self.disk], check=True)
        done = subprocess.run(_START, env=self.environment, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 1)
        self.assertRegex(done.stderr, "^ladder: The data folder cannot be written to: .*its disk and its owner.$")


class FullDisk(SmallDisk):
    def setUp(self) -> None:
        super().setUp()
        self.station = subprocess.Popen(_START, env=self.environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
                                        text=True)  # fmt: skip
        self.addCleanup(self.end)
        assert self.station.stdout is not None
        self.address = next(line for line in self.station.stdout if "ready at" in line).split(" at ")[1].split()[0]

    def end(self) -> None:
        self.station.send_signal(signal.SIGTERM)
        self.station.wait(60)
        assert self.station.stdout is not None
        self.station.stdout.close()

    def ask(self, method: str, path: str, body: bytes | dict[str, Any] | None = None) -> tuple[int, dict[str, Any]]:
        content = json.dumps(body).encode() if isinstance(body, dict) else body
        headers = {"Content-Type": "application/json" if isinstance(body, dict) else "application/octet-stream"}
        request = urllib.request.Request(f"{self.address}api{path}", content, headers, method=method)
        try:
            with urllib.request.urlopen(request, timeout=60) as answer:
                return answer.status, json.load(answer)
        except urllib.error.HTTPError as refused:
            with refused:
                return refused.code, json.load(refused)

    def test_one_plain_sentence_while_it_is_full_and_all_goes_on_when_there_is_room(self) -> None:
        label = {**SPECIMEN, "catalogue_number": "FULL-0"}
        self.assertEqual(self.ask("POST", "/specimens", label)[0], 201)
        filler = self.disk / "filler"
        with filler.open("wb") as file:
            try:
                while True:
                    file.write(bytes(1 << 20))
                    file.flush()
            except OSError:
                pass
        said = set[str]()

        def refused(number: int) -> bool:
            long = {**SPECIMEN, "catalogue_number": f"FULL-{number}", "note": "x" * 4000}
            status, answer = self.ask("POST", "/specimens", long)
            if status == 201:
                return False
            self.assertIn(status, (503, 507), answer)
            said.add(answer["message"])
            return True

        # The database has some pages left at first; then it must say so, in words.
        numbers = iter(range(1, 4000))
        until(lambda: refused(next(numbers)), "the database to run out of room")
        for words in said:
            self.assertRegex(words, "No room left on the disk|The database does not answer")
        self.assertIsNone(self.station.poll())
        filler.unlink()
        until(lambda: self.ask("POST", "/specimens", {**SPECIMEN, "catalogue_number": "FULL-AGAIN"})[0] in (201, 409),
              "the database to go on")  # fmt: skip
        rows = self.ask("GET", "/specimens?words=FULL-")[1]["rows"]
        self.assertIn("FULL-0", {row["specimen"]["catalogue_number"] for row in rows})

    def test_a_frame_for_which_there_is_no_room_is_refused_and_leaves_nothing(self) -> None:
        status, problem = self.ask("PUT", "/rigs/1/scale-pictures/a.jpg", picture())
        self.assertEqual((status, problem["message"]), (404, "there is no rig 1"))
        arriving = self.disk / "data" / "arriving"
        with (self.disk / "filler").open("wb") as file:
            free = shutil.disk_usage(self.disk).free
            file.write(bytes(free - (4 << 20)))
        specimen = self.ask("POST", "/specimens", {**SPECIMEN, "catalogue_number": "FULL-1"})[1]
        self.assertIn("id", specimen)
        rig = self.ask("POST", "/rigs", {"name": "r", "sensor": {"width_px": 384, "height_px": 256, "pixel_um": 5.0},
                                         "train": {"kind": "measured", "magnification": 5, "na": 0.14}})[1]  # fmt: skip
        status, problem = self.ask("PUT", f"/rigs/{rig['id']}/scale-pictures/a.jpg", bytes(8 << 20))
        self.assertEqual(status, 507)
        self.assertRegex(problem["message"], "(?i)no room left on the disk")
        self.assertEqual(list(arriving.iterdir()), [])


if __name__ == "__main__":
    unittest.main()
