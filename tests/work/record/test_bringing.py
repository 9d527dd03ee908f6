"""From a package to an empty station and into a package again: the same record, the same sums, nothing lost."""

import json
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from datetime import timedelta
from pathlib import Path
from typing import Any, ClassVar
from unittest.mock import patch
from zipfile import ZipFile

from amber_ladder.core.frames import no_progress
from amber_ladder.errors import AmberLadderError, BadInput, Collided, Conflict, NotFound
from amber_ladder.settings import settings
from amber_ladder.store import carried, deliveries
from amber_ladder.store import tasks as tasks_of
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Specimen, Stack
from amber_ladder.work import cabinet, measure, mend, record, tasks
from amber_ladder.work.on_disk.verifying import verify
from amber_ladder.work.stack.views import StackView
from tests.support.examples import SPECIMEN
from tests.support.packages import brought, changed, content, packed, received
from tests.support.takes import folder_of, have_done, merged, shot_stack


def sums(package: Path) -> dict[str, str]:
    with ZipFile(package) as file:
        name = next(one for one in file.namelist() if one.endswith("/manifest-sha256.txt"))
        lines = (line.split("  ", 1) for line in file.read(name).decode().splitlines())
        return {path: digest for digest, path in lines if "record.json" not in path and "ro-crate" not in path}


def without_numbers(value: Any) -> Any:
    """A record without the numbers that rows have in a database."""
    if isinstance(value, dict):
        left = {"id", "rows", "history", "revision", "merge_id", "product_id", "frame_id", "mend_id", "merge_names"}
        return {name: without_numbers(one) for name, one in value.items() if name not in left}
    return [without_numbers(one) for one in value] if isinstance(value, list) else value


class Bringing(unittest.TestCase):
    stack: ClassVar[StackView]
    package: ClassVar[Path]
    folder: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        cls.stack = shot_stack("BRING-1")
        take_id = cls.stack.takes[0].id
        other, merge = merged(take_id, "pyramid"), merged(take_id)
        label = {**SPECIMEN, "catalogue_number": "BRING-1", "collector": "Å. Fell", "collected_on": "2026-05"}
        cabinet.edit_specimen(cls.stack.specimen.id, cabinet.SpecimenEntry.model_validate(label))
        record.set_rights(record.Rights(photographer="B. Moor", licence="CC BY 4.0", rights_holder="Tarn Hollow"))
        entry = {"kind": "length", "points": [[60, 150], [200, 150]], "name": "width"}
        measure.take(merge.id, measure.MeasureEntry.model_validate(entry))
        view = mend.begin(merge.id, mend.MendEntry(name="for the plate"))
        step = {"kind": "from_merge", "merge": str(other.id), "path": [[100, 100], [140, 120]], "radius_px": 12}
        mend.add_step(view.id, mend.StepEntry.model_validate({"revision": view.revision, "step": step}))
        mend.finish(view.id)
        for task_id in tasks.unfinished():
            have_done(task_id)
        cls.folder = Path(tempfile.mkdtemp())
        cls.package = Path(shutil.copy(packed(merge.id), cls.folder / "came.zip"))

    @classmethod
    def tearDownClass(cls) -> None:
        shutil.rmtree(cls.folder)

    def tried(self, path: Path | None = None) -> tuple[str, record.PackageTried]:
        """A package that was gone through: its key, and what it tells."""
        delivery = received(path or self.package)
        assert delivery.told is not None
        return delivery.key, delivery.told

    def test_what_would_come_is_told_and_nothing_is_changed(self) -> None:
        with transaction() as session:
            before = session.query(Stack).count()
        _, told = self.tried()
        self.assertEqual((told.catalogue_number, told.merges, told.mends, told.measures), ("BRING-1", 2, 1, 1))
        self.assertEqual((told.faults, told.originals, told.originals_there), ([], 35, 35))
        self.assertGreater(told.entries, 5)
        with transaction() as session:
            self.assertEqual(session.query(Stack).count(), before)

    def test_an_empty_station_packs_it_again_as_it_was(self) -> None:
        again = self.folder / "again.zip"
        command = [sys.executable, "-m", "tests.support.other_station", str(self.package), str(again)]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)
        told = json.loads(done.stdout.splitlines()[-1])
        tried = told["tried"]
        self.assertEqual((tried["specimen_there"], tried["rig_there"], tried["originals_there"]), (None, None, 0))
        self.assertEqual(sums(again), sums(self.package))
        here, there = content(again), content(self.package)
        self.maxDiff = None
        self.assertEqual(without_numbers(here), without_numbers(there))
        # The history as it came, and that it came.
        self.assertEqual(here["history"][: len(there["history"])], there["history"])
        (last,) = here["history"][len(there["history"]) :]
        self.assertEqual((last["did"], last["facts"]["label"]["collector"]), ("received", "Å. Fell"))
        found = verify(again, no_progress, replay=True)
        self.assertEqual((found["faults"], found["replay"]["differs"]), ([], []))
        # The mend goes on where it was, painted from the merge that it was painted from; undone, all of it goes.
        self.assertEqual(told["others"], [told["painted_from"]])
        self.assertIn("stack 1 brought in from a package", told["words"])
        self.assertEqual(told["left"], 0)

    def test_the_same_stack_twice_is_refused(self) -> None:
        key, told = self.tried()
        self.assertIsNotNone(told.stack_there)
        with self.assertRaisesRegex(Conflict, "is here already: its history begins"):
            brought(key)

    def test_a_clash_of_numbers_is_told_and_left_to_a_person(self) -> None:
        label = {**SPECIMEN, "catalogue_number": "BRING-2", "name": "another moss"}
        cabinet.add_specimen(cabinet.SpecimenEntry.model_validate(label))
        package = changed(self.package, lambda told: told["rows"]["specimen"].update(catalogue_number="BRING-2"))
        key, told = self.tried(package)
        assert told.specimen_there is not None
        self.assertEqual((told.specimen_there.name, told.rig_there), ("another moss", "same"))
        self.assertIn("collector", told.specimen_there.differs)
        with self.assertRaisesRegex(Conflict, "BRING-2 is here already: add the stack to it"):
            brought(key)
        joined = brought(key, join=True)
        self.assertEqual((joined.specimen.name, joined.number), ("another moss", 1))
        package = changed(self.package, lambda told: told["rows"]["rig"]["definition"]["sensor"].update(pixel_um=4.0))
        key, told = self.tried(package)
        self.assertEqual(told.rig_there, "another")
        renamed = brought(key, catalogue_number="BRING-3")
        self.assertEqual(renamed.rig_name, "rig of BRING-1, from a package")
        self.assertEqual((renamed.specimen.catalogue_number, renamed.specimen.collector), ("BRING-3", "Å. Fell"))

    def test_what_does_not_hold_is_refused_and_leaves_nothing(self) -> None:
        with self.assertRaisesRegex(BadInput, "cannot be read as a zip"):
            received(b"moss")
        broken = bytearray(self.package.read_bytes())
        broken[len(broken) // 2] ^= 1
        path = self.folder / "broken.zip"
        path.write_bytes(broken)
        key, told = self.tried(path)
        self.assertTrue(told.faults)
        with self.assertRaisesRegex(BadInput, "does not hold"):
            brought(key)
        with transaction() as session:
            before = session.query(Stack).count(), session.query(Specimen).count()
        folders = set((settings().data / "products").iterdir())
        for words, change in (
            ("is not the frame", lambda told: told["rows"]["frames"][3].update(sha256="0" * 64)),
            ("holds no results/merge-0", lambda told: told["rows"]["products"][0].update(number=0)),
            ("does not hold together", lambda told: told["rows"]["sortings"][0]["series"][0].update(frame_id=-1)),
            ("does not hold together", lambda told: told["rows"]["take"].pop("task_id")),
            ("cannot be the name", lambda told: told["rows"]["products"][0].update(files=["../../composite.tif"])),
            ("cannot be the name", lambda told: told["rows"]["products"][0].update(kind="../merge")),
            ("cannot be shown", lambda told: told["rows"]["stack"].update(plan={"near_um": "nobody knows"})),
            ("no rig and no plan", lambda told: told.pop("rows")),
            ("lacks something", lambda told: told["rows"].pop("specimen")),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(AmberLadderError, words):
                key, _ = self.tried(changed(self.package, change))
                brought(key, catalogue_number="BRING-9")
        with transaction() as session:
            self.assertEqual((session.query(Stack).count(), session.query(Specimen).count()), before)
        self.assertEqual(set((settings().data / "products").iterdir()), folders)

    def test_stopped_it_leaves_nothing_and_can_be_asked_for_again(self) -> None:
        key, _ = self.tried(changed(self.package, lambda _: None))
        with transaction() as session:
            before = session.query(Stack).count()
        begun = record.bring_package(key, record.BringEntry(catalogue_number="BRING-7"))
        with self.assertRaisesRegex(Conflict, "is being worked on"):
            record.bring_package(key, record.BringEntry(catalogue_number="BRING-8"))
        with transaction() as session:
            tasks_of.held(session, begun.task.id, 0).stop_requested = True
        have_done(begun.task.id)
        told = record.read_delivery(key)
        self.assertEqual((told.task.state, told.stack_id), ("stopped", None))
        with transaction() as session:
            self.assertEqual(session.query(Stack).count(), before)
        self.assertEqual(brought(key, catalogue_number="BRING-7").specimen.catalogue_number, "BRING-7")
        with self.assertRaisesRegex(Conflict, "brought in already"):
            brought(key, catalogue_number="BRING-8")

    def test_a_worker_that_is_killed_in_the_midst_begins_again_and_the_stack_comes_once(self) -> None:
        key, _ = self.tried(changed(self.package, lambda _: None))
        begun = record.bring_package(key, record.BringEntry(catalogue_number="BRING-10"))
        real, calls = carried.set_down, list[int]()

        def dies(*told: Any) -> Any:
            calls.append(1)
            if len(calls) == 1:
                real(*told)
                raise Collided("two changes waited for each other")  # its transaction is gone, all of it is done anew
            return real(*told)

        with patch.object(carried, "set_down", dies):
            have_done(begun.task.id)
        told = record.read_delivery(key)
        self.assertEqual((told.task.state, len(calls)), ("done", 2))
        with transaction() as session:
            self.assertEqual(session.query(Specimen).filter_by(catalogue_number="BRING-10").count(), 1)

    def test_packages_are_kept_for_a_week_and_gone_once_they_are_brought_in(self) -> None:
        place = settings().data / "packages-in"
        waiting, _ = self.tried(changed(self.package, lambda _: None))
        done, _ = self.tried(changed(self.package, lambda _: None))
        stack = brought(done, catalogue_number="BRING-11")
        record.remove_deliveries()
        self.assertEqual([one.name for one in place.iterdir() if one.name.startswith((waiting, done))], [waiting])
        # What it had brought is not touched.
        merge = next(one for one in stack.takes[0].merges if one.counts)
        self.assertTrue((folder_of(merge) / "composite.tif").is_file())
        # A file of which the database knows nothing, of a server that was killed as it came, goes as well.
        for name, days in (("lost", 8), ("coming", 0)):
            (place / name).write_bytes(b"PK")
            then = (now() - timedelta(days=days)).timestamp()
            os.utime(place / name, (then, then))
        record.remove_deliveries()
        self.assertEqual([(place / name).exists() for name in ("lost", "coming", waiting)], [False, True, True])
        with transaction() as session:
            deliveries.get(session, waiting).created_at = now() - timedelta(days=8)
        record.remove_deliveries()
        self.assertFalse((place / waiting).exists())
        with self.assertRaisesRegex(NotFound, "choose its file again"):
            record.read_delivery(waiting)

    def test_a_package_that_changed_on_the_disk_is_not_brought_in(self) -> None:
        key, _ = self.tried(changed(self.package, lambda _: None))
        with (settings().data / "packages-in" / key).open("ab") as file:
            file.write(b"moss")
        with self.assertRaisesRegex(AmberLadderError, "has changed since it was gone through"):
            brought(key, catalogue_number="BRING-12")
        (settings().data / "packages-in" / key).unlink()
        with self.assertRaisesRegex(AmberLadderError, "not here any more: choose its file again"):
            brought(key, catalogue_number="BRING-12")

    def test_a_key_that_nobody_gave_is_none(self) -> None:
        for key in ("0" * 32, "../../etc/passwd"):
            with self.assertRaisesRegex(NotFound, "choose its file again"):
                brought(key)


if __name__ == "__main__":
    unittest.main()
