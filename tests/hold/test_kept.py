"""Backups that come back, and a doctor who finds and mends what is wrong."""

import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from amber_ladder.launch.serve import SOURCE
from amber_ladder.settings import settings
from amber_ladder.store.holdings import held
from amber_ladder.work import plan, record, upkeep
from tests.support.station import database
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


def ladder(data: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "AMBER_LADDER_DATA": str(data), "PYTHONPATH": str(SOURCE / "src")}
    environment.pop("AMBER_LADDER_DATABASE_URL", None)
    command = [sys.executable, "-m", "amber_ladder.launch", *arguments]
    return subprocess.run(command, env=environment, capture_output=True, text=True, check=False)


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        self.station = database()
        self.stack = shot_stack()
        self.folder = Path(tempfile.mkdtemp(prefix="amber-ladder-kept-", dir="/tmp"))
        self.folder.chmod(0o755)
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)

    def backed_up(self) -> Path:
        folder = self.folder / "backup"
        done = ladder(self.station.data, "backup", str(folder))
        self.assertEqual(done.returncode, 0, done.stderr)
        return folder

    def test_a_backup_made_beside_the_running_station_comes_back_into_an_empty_folder(self) -> None:
        stack = new_stack(f"KEPT-{id(self)}", far_um=700)
        merge = a_merge(take_of(stack, self.stack.takes[0].frames))
        folder = self.backed_up()
        again = ladder(self.station.data, "backup", str(folder))
        self.assertIn("Backed up: 0 new files", again.stdout)
        self.assertIsNotNone(upkeep.read_station().backup)
        empty = self.folder / "data"
        back = ladder(empty, "restore", str(folder))
        self.assertEqual(back.returncode, 0, back.stderr)
        sound = ladder(empty, "doctor")
        self.assertEqual((sound.returncode, sound.stdout), (0, "All is sound.\n"))
        for name in ("composite.tif", "depth.tif", "report.json"):
            place = f"products/{merge.id:06d}/{name}"
            self.assertEqual((empty / place).read_bytes(), (self.station.data / place).read_bytes())
        for original in held().originals:
            self.assertTrue((empty / "originals" / original.place).is_file())
        second = ladder(empty, "restore", str(folder))
        self.assertIn("is not empty", second.stderr)

    def test_a_damaged_backup_is_not_restored_and_the_restore_can_be_begun_anew(self) -> None:
        folder = self.backed_up()
        shutil.copytree(folder, self.folder / "good")
        victim = folder / "originals" / held().originals[0].place
        victim.chmod(0o600)
        victim.write_bytes(b"x" * victim.stat().st_size)
        empty = self.folder / "data"
        refused = ladder(empty, "restore", str(folder))
        self.assertIn("damaged or missing, so nothing was restored", refused.stderr)
        self.assertIn("run ./ladder restore again", ladder(empty, "doctor").stderr)
        self.assertEqual(ladder(empty, "restore", str(self.folder / "good")).returncode, 0)
        dump = next((folder / "databases").glob("*/database.dump"))
        dump.write_bytes(dump.read_bytes()[:-9])
        self.assertIn("database.dump is damaged", ladder(self.folder / "other", "restore", str(folder)).stderr)

    def test_wrong_places(self) -> None:
        inside = ladder(self.station.data, "backup", str(self.station.data / "backup"))
        self.assertIn("would be lost with it", inside.stderr)
        self.assertIn("holds no backup", ladder(self.folder / "data", "restore", str(self.folder)).stderr)
        (self.folder / "file").touch()
        self.assertIn("cannot be made", ladder(self.station.data, "backup", str(self.folder / "file")).stderr)

    def test_the_doctor_finds_what_is_wrong_and_mends_what_can_be(self) -> None:
        merge = a_merge(take_of(self.stack, self.stack.takes[0].frames))
        upkeep.examine(mend=True, alone=True, progress=lambda *_: None)  # what other tests have left
        self.backed_up()
        data, frame = settings().data, self.stack.takes[0].frames[3]
        original = next(data.glob(f"originals/*/{frame.sha256}*"))
        self.addCleanup(original.write_bytes, original.read_bytes())
        original.chmod(0o600)
        original.write_bytes(b"rotten")
        (data / "products" / f"{merge.id:06d}" / "depth.tif").unlink()
        (data / "originals" / "00").mkdir(exist_ok=True)
        (data / "originals" / "00" / f"{'0' * 64}.jpg").write_bytes(b"nobody's")
        (data / "products" / "999999").mkdir()
        (data / "arriving" / "half").write_bytes(b"half")
        (data / "tiles" / ".half").mkdir(exist_ok=True)

        def examine(*, mend: bool) -> str:
            found = upkeep.examine(mend=mend, alone=True, progress=lambda *_: None)
            return "\n".join(f"{'mended' if one.mended else 'left'}: {one.what}: {one.do}" for one in found)

        found = examine(mend=False)
        self.assertIn(f"left: the original of {frame.name} (take 1 of stack 1 of SHOT-1) is damaged", found)
        self.assertIn("1 file among the originals belongs to nothing", found)
        self.assertIn("1 folder of results belongs to nothing", found)
        self.assertIn("2 half-written files or folders", found)
        self.assertEqual(found.count("mended:"), 0)
        self.assertEqual(examine(mend=True).count("left:"), 0)
        self.assertEqual(examine(mend=False), "")
        self.assertTrue((data / "left-over" / "originals" / f"{'0' * 64}.jpg").is_file())
        self.assertTrue(record.record(merge.id))
        self.assertEqual(plan.read_stack(self.stack.id).takes[0].frames[3].sha256, frame.sha256)

    def test_without_a_backup_a_damaged_original_is_named_and_the_next_backup_does_not_take_it(self) -> None:
        folder = self.backed_up()
        (self.station.data / "last-backup.json").unlink()
        frame = self.stack.takes[0].frames[4]
        original = next(settings().data.glob(f"originals/*/{frame.sha256}*"))
        good = original.read_bytes()
        self.addCleanup(original.write_bytes, good)
        original.chmod(0o600)
        original.write_bytes(good[:-1])
        said = ladder(self.station.data, "doctor")
        self.assertEqual(said.returncode, 1)
        self.assertIn(f"the original of {frame.name} (take 1 of stack 1 of SHOT-1) is damaged", said.stdout)
        self.assertIn("bring the file again", said.stdout)
        again = ladder(self.station.data, "backup", str(folder))
        self.assertEqual(again.returncode, 1)
        self.assertIn("is damaged", again.stderr)
        self.assertEqual((folder / original.relative_to(settings().data)).read_bytes(), good)


if __name__ == "__main__":
    unittest.main()
