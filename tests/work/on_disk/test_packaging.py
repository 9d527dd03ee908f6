"""A package: whole and unchanged, or not; and whether its results come out the same when they are made again."""

import json
import random
import shutil
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any, ClassVar

import bagit
import numpy as np
import tifffile
from rocrate.rocrate import ROCrate

from amber_ladder.core.frames import no_progress
from amber_ladder.core.history import chained
from amber_ladder.core.optics import InfinityObjective, Rig, Sensor
from amber_ladder.errors import BadInput
from amber_ladder.formats.bags import Packed
from amber_ladder.formats.label_json import LabelJson
from amber_ladder.formats.measures_json import MeasuresJson
from amber_ladder.formats.mend_json import StepsJson
from amber_ladder.simulated.jpeg import encode_jpeg
from amber_ladder.work.on_disk import packaging
from amber_ladder.work.on_disk.mending import mend_folder
from amber_ladder.work.on_disk.merge_settings import MergeSettings
from amber_ladder.work.on_disk.merging import merge_folder
from amber_ladder.work.on_disk.packaging import Contents, Made, package_folder, write_package
from amber_ladder.work.on_disk.verifying import verify
from tests.support.stacks import shot

LABEL = LabelJson(catalogue_number="TH-7", name="lacewing head", photographer="A. N.", licence="CC BY 4.0")
MEASURES = MeasuresJson.model_validate(
    {"scale": {"um_per_px": 1.0}, "measures": [{"name": "eye", "kind": "length", "points": [[100, 90], [300, 200]]}]}
)
STEPS = [
    {"kind": "from_frame", "file": "f03.jpg", "path": [[300, 200], [380, 240]], "radius_px": 30},
    {"kind": "heal", "path": [[200, 200], [220, 210]], "radius_px": 6, "from": [300, 300]},
    {"kind": "tone", "gamma": 1.1},
]


class Packages(unittest.TestCase):
    home: ClassVar[Path]
    frames: ClassVar[Path]
    package: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        scratch = tempfile.TemporaryDirectory()
        cls.addClassCleanup(scratch.cleanup)
        cls.home = Path(scratch.name)
        cls.frames, cls.package = cls.home / "frames", cls.home / "package.zip"
        cls.frames.mkdir()
        for at, picture in enumerate(shot("lacewing-eyes").frames.pictures[4:14]):
            (cls.frames / f"f{at:02d}.jpg").write_bytes(encode_jpeg(picture, captured_at=None))
        rig = Rig(Sensor(768, 512, 5.0), InfinityObjective(5.0, 0.14, 200, 200))
        settings = MergeSettings(method="auto", step_um=18.0, exclude=("f05.jpg",), calm=0.2, rig=rig)
        merge_folder(cls.frames, cls.home / "merge", settings, no_progress)
        asked = StepsJson.model_validate({"steps": STEPS}).steps
        mend_folder(cls.home / "merge", asked, cls.frames, cls.home / "mended", no_progress)
        package_folder(cls.home / "merge", cls.frames, cls.package, LABEL, no_progress,
                       mends=[cls.home / "mended"], measures=MEASURES)  # fmt: skip

    def unpacked(self) -> Path:
        folder = Path(tempfile.mkdtemp(dir=self.home))
        with zipfile.ZipFile(self.package) as file:
            file.extractall(folder)
        (bag,) = folder.iterdir()
        return bag

    def test_all_of_it_is_there_and_others_read_it(self) -> None:
        bag = self.unpacked()
        self.assertTrue(bagit.Bag(str(bag)).validate())
        names = {str(path.relative_to(bag / "data")) for path in (bag / "data").rglob("*") if path.is_file()}
        self.assertTrue({f"originals/f{at:02d}.jpg" for at in range(10)} <= names)
        self.assertTrue({"results/merge-1/depth.tif", "results/mend-1/changed.tif", "record.json"} <= names)
        for at in range(10):
            name = f"f{at:02d}.jpg"
            self.assertEqual((bag / "data/originals" / name).read_bytes(), (self.frames / name).read_bytes())
        crate = ROCrate(str(bag / "data"))
        self.assertEqual(crate.root_dataset["license"], "CC BY 4.0")
        self.assertEqual(crate.root_dataset["creator"]["name"], "A. N.")
        self.assertEqual({one.id for one in crate.data_entities}, names - {"ro-crate-metadata.json"})
        made = [one for one in crate.contextual_entities if one.type == "CreateAction"]
        self.assertEqual([len(one["result"]) for one in made], [4, 3])
        record = json.loads((bag / "data/record.json").read_bytes())
        self.assertEqual((record["label"]["name"], len(record["history"])), ("lacewing head", 2))

    def test_it_holds_and_comes_out_the_same_to_the_byte(self) -> None:
        told = verify(self.package, no_progress, replay=True)
        self.assertEqual((told["ok"], told["faults"], told["checked"]["files"]), (True, [], 10 + 4 + 3 + 2))
        self.assertEqual((told["replay"]["same"], told["replay"]["made_again"]), (True, 3))

    def test_a_flipped_byte_is_found_where_it_is(self) -> None:
        content, draw = self.package.read_bytes(), random.Random(5)
        with zipfile.ZipFile(self.package) as file:
            spans = [(one.header_offset + 50 + len(one.filename.encode()), one.file_size, one.filename.split("/", 1)[1])
                     for one in file.infolist()]  # fmt: skip
        damaged = self.home / "damaged.zip"
        for start, size, name in spans:
            at = start + draw.randrange(size)
            damaged.write_bytes(content[:at] + bytes([content[at] ^ 0x40]) + content[at + 1 :])
            told = verify(damaged, no_progress)
            self.assertFalse(told["ok"])
            self.assertIn(name, [one["path"] for one in told["faults"]])

    def replayed(self, change: Any) -> dict[str, Any]:
        """A package that holds in itself, of contents that were changed before they were packed."""
        merge = Path(tempfile.mkdtemp(dir=self.home)) / "merge"
        shutil.copytree(self.home / "merge", merge)
        change(merge)
        out = merge.parent / "package.zip"
        package_folder(merge, self.frames, out, LABEL, no_progress, measures=MEASURES)
        told = verify(out, no_progress, replay=True)
        self.assertEqual(told["faults"], [])
        return told

    def test_a_result_that_does_not_come_from_the_originals_is_told_and_by_how_much(self) -> None:
        def touch(merge: Path) -> None:
            picture = tifffile.imread(merge / "composite.tif")
            picture[10:20, 10:30] = np.where(picture[10:20, 10:30] < 128, picture[10:20, 10:30] + 100, 0)
            tifffile.imwrite(merge / "composite.tif", picture)

        told = self.replayed(touch)
        self.assertFalse(told["ok"])
        (differs,) = told["replay"]["differs"]
        self.assertEqual(differs["path"], "results/merge-1/composite.tif")
        self.assertRegex(differs["reason"], r"differs by up to 1?\d\d on 0\.\d+% of its values")

    def test_settings_that_were_not_those_are_told(self) -> None:
        def other(merge: Path) -> None:
            report = json.loads((merge / "report.json").read_bytes())
            report["made_from"] = {**report["made_from"], "step_um": 19.0}
            (merge / "report.json").write_text(json.dumps(report))

        told = self.replayed(other)["replay"]
        paths = {one["path"] for one in told["differs"]}
        self.assertTrue({"results/merge-1/depth.tif", "results/merge-1/report.json"} <= paths, paths)

    def test_what_was_made_before_recipes_were_kept_is_said_to_be_unknown(self) -> None:
        def old(merge: Path) -> None:
            report = json.loads((merge / "report.json").read_bytes())
            del report["made_from"]
            (merge / "report.json").write_text(json.dumps(report))

        first, *_ = self.replayed(old)["replay"]["differs"]
        self.assertIn("did not note down from what", first["reason"])

    def test_a_history_that_was_rewritten_is_found(self) -> None:
        chain = chained([{"did": "planned", "words": "a"}, {"did": "shot", "words": "b"}])
        chain[0]["words"] = "c"
        made = [Made("merge", "merge-1", self.home / "merge", ("report.json",))]
        contents = Contents("TH-7", LABEL, [Packed("a.jpg", b"frame")], made, [], {"history": chain})
        out = self.home / "rewritten.zip"
        write_package(contents, out, no_progress)
        (fault,) = verify(out, no_progress)["faults"]
        self.assertEqual(
            fault, {"path": "data/record.json", "reason": "history, entry 1: was changed after it was written"}
        )

    def test_what_cannot_be_packed_is_said_and_nothing_is_written(self) -> None:
        out = self.home / "never.zip"
        few = self.home / "few"
        few.mkdir()
        (few / "f00.jpg").write_bytes((self.frames / "f00.jpg").read_bytes())
        cases: list[tuple[Path, Path, list[Path], str]] = [
            (self.home / "merge", few, [], "holds no f01.jpg, which was merged"),
            (self.home / "merge", self.home / "nowhere", [], "is not a folder"),
            (self.frames, self.frames, [], "is not the result of a merge"),
            (self.home / "merge", self.frames, [self.home / "merge"], "is not the result of a mend"),
        ]
        for result, frames, mends, words in cases:
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                package_folder(result, frames, out, LABEL, no_progress, mends=mends)
        self.assertFalse(out.exists())

    def test_names_that_some_systems_cannot_keep_are_refused(self) -> None:
        for names, words in ((["a:b.jpg"], "cannot be the name"), (["A.jpg", "a.jpg"], "but for capitals")):
            contents = Contents("TH-7", LABEL, [Packed(name, b"x") for name in names], [], [], {"history": []})
            with self.subTest(names), self.assertRaisesRegex(BadInput, words):
                packaging.write_package(contents, self.home / "never.zip", no_progress)
