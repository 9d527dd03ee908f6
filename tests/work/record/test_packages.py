"""A stack packed at the station, with label, rights, mends, measures and history, and gone through by somebody else."""

import json
import shutil
import tempfile
import unittest
from pathlib import Path
from typing import Any, ClassVar
from zipfile import ZipFile

from amber_ladder.core.frames import no_progress
from amber_ladder.core.history import faults_of
from amber_ladder.errors import Conflict, NotFound
from amber_ladder.settings import settings
from amber_ladder.store import history
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Frame
from amber_ladder.work import cabinet, measure, mend, record, tasks
from amber_ladder.work.on_disk.verifying import verify
from amber_ladder.work.stack.views import MergeView, StackView
from tests.support.examples import SPECIMEN
from tests.support.takes import have_done, merged, shot_stack


class Packages(unittest.TestCase):
    stack: ClassVar[StackView]
    merge: ClassVar[MergeView]
    path: ClassVar[Path]
    name: ClassVar[str]

    @classmethod
    def setUpClass(cls) -> None:
        cls.stack = shot_stack("PACK-1")
        take_id = cls.stack.takes[0].id
        other = merged(take_id, "pyramid")
        cls.merge = merged(take_id)  # aligned by what the first has found
        label = {**SPECIMEN, "catalogue_number": "PACK-1", "collector": "A. Fell", "collected_on": "2026-05",
                 "latitude": 54.5, "longitude": -3.2, "place_within_m": 30}  # fmt: skip
        cabinet.edit_specimen(cls.stack.specimen.id, cabinet.SpecimenEntry.model_validate(label))
        record.set_rights(record.Rights(photographer="B. Moor", licence="CC BY 4.0", rights_holder="Tarn Hollow"))
        entry = {"kind": "length", "points": [[60, 150], [200, 150]], "name": "width"}
        measure.take(cls.merge.id, measure.MeasureEntry.model_validate(entry))
        cls.mended(other.id)
        begun = record.begin_package(cls.merge.id)
        have_done(begun.task.id)
        cls.path, cls.name = record.package_file(begun.id)

    @classmethod
    def mended(cls, painted_from: int) -> None:
        view = mend.begin(cls.merge.id, mend.MendEntry(name="for the plate"))
        steps: list[dict[str, Any]] = [
            {"kind": "from_merge", "merge": str(painted_from), "path": [[100, 100], [140, 120]], "radius_px": 12},
            {"kind": "tone", "gamma": 1.2},
        ]
        for step in steps:
            entry = mend.StepEntry.model_validate({"revision": view.revision, "step": step})
            view = mend.add_step(view.id, entry)
        mend.finish(view.id)
        for task_id in tasks.unfinished():
            have_done(task_id)

    def content(self) -> dict[str, Any]:
        with ZipFile(self.path) as file:
            told: dict[str, Any] = json.loads(file.read(f"{self.path.stem}/data/record.json"))
            return told

    def test_it_holds_and_all_of_it_comes_out_the_same_elsewhere(self) -> None:
        elsewhere = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, elsewhere)
        copy = shutil.copy(self.path, elsewhere / "came.zip")
        told = verify(Path(copy), no_progress, replay=True)
        self.assertEqual((told["faults"], told["replay"]["differs"]), ([], []))
        self.assertGreaterEqual(told["replay"]["made_again"], 4)  # two merges, the mended picture, the measures
        self.assertTrue(told["ok"])

    def test_it_says_whose_and_where_from(self) -> None:
        label = self.content()["label"]
        self.assertEqual((label["collector"], label["collected_on"], label["latitude"]), ("A. Fell", "2026-05", 54.5))
        self.assertEqual((label["photographer"], label["licence"]), ("B. Moor", "CC BY 4.0"))

    def test_it_carries_the_history_as_the_station_keeps_it(self) -> None:
        told = self.content()
        self.assertEqual(faults_of(told["history"]), [])
        did = [one["did"] for one in told["history"]]
        self.assertEqual(did[:4], ["planned", "shot", "merged", "merged"])
        self.assertTrue({"measured", "mended", "corrected"} <= set(did))
        with transaction() as session:
            kept = [one.as_json() for one in history.of_stack(session, self.stack.id)]
        self.assertEqual(kept[: len(did)], told["history"])
        exported = next(one for one in kept[len(did) :] if one["did"] == "exported")
        self.assertEqual(exported["facts"]["file"], self.path.name)

    def test_it_is_listed_with_its_checksum(self) -> None:
        first = record.packages(self.merge.id)[-1]
        self.assertEqual((first.name, first.bytes is not None and first.bytes > 10_000), (self.path.name, True))
        with self.assertRaises(NotFound):
            record.package_file(999_999)

    def test_a_damaged_original_stops_it_and_leaves_nothing(self) -> None:
        frame = self.stack.takes[0].frames[0]
        path = FrameStore(settings().data).original(frame.sha256, ".jpg")
        sound = path.read_bytes()
        path.chmod(0o600)
        try:
            path.write_bytes(sound[:-1] + b"x")
            begun = record.begin_package(self.merge.id)
            with self.assertRaisesRegex(Conflict, "being made already"):
                record.begin_package(self.merge.id)
            have_done(begun.task.id)
        finally:
            path.write_bytes(sound)
            path.chmod(0o400)
        latest = record.packages(self.merge.id)[0]
        self.assertEqual((latest.id, latest.task.state, latest.name), (begun.id, "failed", None))
        self.assertIn(f"originals/{frame.name} is not what it was", latest.task.message)
        self.assertFalse(FrameStore(settings().data).product_folder(begun.id).exists())
        with transaction() as session:
            self.assertIsNotNone(session.get(Frame, frame.id))
