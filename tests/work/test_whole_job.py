"""The whole job through the use cases, on a real database, the worker's part run in this process."""

import json
import unittest
from io import BytesIO
from itertools import pairwise
from typing import ClassVar

import numpy as np
import tifffile
from PIL import Image

from amber_ladder.errors import BadInput, Conflict, NotFound, UnreadablePicture
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.settings import settings
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import cabinet, ledger, merge, plan, record, rigs, shoot, tasks
from amber_ladder.work.practice import takes
from amber_ladder.work.stack.views import StackView
from tests.support.examples import PLAN, RIG, SPECIMEN, picture
from tests.support.station import database


def new_stack(number: str, **changes: object) -> StackView:
    specimen = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": number, **changes}))
    rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": f"rig of {number}"}))
    entry = plan.PlanEntry(rig_id=rig.id, plan=LadderRequestJson(**PLAN))
    return plan.save_ladder(specimen.id, entry)


class Shot(unittest.TestCase):
    stack: ClassVar[StackView]

    @classmethod
    def setUpClass(cls) -> None:
        database()
        stack = new_stack("TH-100")
        take = takes.begin_take(stack.id, "jewel-wasp")
        assert take.task is not None
        tasks.run(take.task.id)
        for method in ("select", "pyramid"):
            merged = merge.begin_merge(take.id, merge.MergeEntry(method=method))
            tasks.run(merged.task.id)
        cls.stack = plan.read_stack(stack.id)

    def test_every_rung_has_its_frame_kept_under_its_checksum(self) -> None:
        take = self.stack.takes[0]
        self.assertEqual([f.rung for f in take.frames], list(range(self.stack.ladder.frames)))
        self.assertEqual([f.planned_um for f in take.frames], self.stack.ladder.positions_um)
        times = [f.captured_at for f in take.frames]
        self.assertTrue(all(a < b for a, b in pairwise(times) if a and b))
        store = FrameStore(settings().data)
        for frame in take.frames:
            self.assertEqual(store.original(frame.sha256, ".jpg").stat().st_size, frame.bytes)

    def test_merges_are_done_and_depth_is_in_um_of_the_rail(self) -> None:
        for done in self.stack.takes[0].merges:
            self.assertEqual(done.task.state, "done", done.task.message)
            folder = FrameStore(settings().data).product_folder(done.id)
            composite = tifffile.imread(folder / "composite.tif")
            depth = tifffile.imread(folder / "depth.tif")
            self.assertEqual((composite.shape, composite.dtype), ((256, 384, 3), np.dtype(np.uint8)))
            self.assertEqual(depth.dtype, np.dtype(np.float32))
            travel = self.stack.ladder.travel_um
            self.assertTrue(float(np.nanmin(depth)) >= 0 and float(np.nanmax(depth)) <= travel)
            self.assertAlmostEqual(sum(done.report["share"].values()), 1.0, places=3)  # type: ignore[index,misc]

    def test_the_cabinet_shows_how_far_it_has_come(self) -> None:
        row = cabinet.browse(words="TH-100").rows[0]
        assert row.stack is not None
        self.assertEqual(
            [stage.key for stage in row.stack.stages if stage.done], ["plan", "shoot", "sort", "merge", "record"]
        )
        self.assertEqual(row.merge_id, self.stack.takes[0].merges[-1].id)

    def test_the_record_holds_everything_and_says_nominal(self) -> None:
        content, name = record.record(self.stack.takes[0].merges[-1].id)
        content = json.loads(json.dumps(content))
        self.assertEqual(name, "TH-100_stack1_take1_pyramid2.json")
        self.assertEqual(content["scale"]["from"], "nominal")
        self.assertAlmostEqual(content["scale"]["um_per_px"], 1.0)
        self.assertEqual(len(content["take"]["frames"]), self.stack.ladder.frames)
        self.assertTrue(all(len(frame["sha256"]) == 64 for frame in content["take"]["frames"]))
        self.assertEqual(content["rig"]["train"]["na"], 0.14)

    def test_the_picture_is_cropped_and_has_its_bar(self) -> None:
        merged = self.stack.takes[0].merges[-1]
        content, _ = record.picture(merged.id, "png")
        shown = np.asarray(Image.open(BytesIO(content)))
        crop = merged.report["crop"]  # type: ignore[index]
        self.assertEqual(shown.shape[1], crop["width"])
        bar = record.label(merged.id).bar
        assert bar is not None
        strip = shown[crop["height"] :, crop["width"] // 2 :]  # beside the caption
        darkest = (strip.max(axis=2) < 60).sum(axis=1).max()
        self.assertAlmostEqual(int(darkest), bar.length_px, delta=2)

    def test_the_ledger_has_a_line_for_it(self) -> None:
        line = next(line for line in ledger.as_csv().splitlines() if line.startswith("TH-100"))
        self.assertIn("pyramid", line)
        self.assertIn("nominal", line)

    def test_what_was_shot_keeps_its_rig_and_plan(self) -> None:
        changed = {**RIG, "name": "rig of TH-100", "train": {**RIG["train"], "na": 0.1}}
        rigs.edit_rig(self.stack.rig_id, rigs.RigEntry(**changed))
        self.assertEqual(plan.read_stack(self.stack.id).optics, self.stack.optics)
        with self.assertRaisesRegex(Conflict, "has been shot"):
            entry = plan.PlanEntry(rig_id=self.stack.rig_id, plan=LadderRequestJson(**PLAN))
            plan.change_ladder(self.stack.id, entry)

    def test_another_take_leaves_the_first_alone(self) -> None:
        again = shoot.begin_files(self.stack.id)
        self.assertEqual(again.number, 2)
        self.assertEqual(len(plan.read_stack(self.stack.id).takes[0].frames), self.stack.ladder.frames)

    def test_unfinished_results_are_not_found(self) -> None:
        with self.assertRaises(NotFound):
            record.label(999_999)


class OwnFrames(unittest.TestCase):
    def setUp(self) -> None:
        database()
        self.stack = new_stack(f"OF-{self._testMethodName[-40:]}")
        self.take = shoot.begin_files(self.stack.id)

    def test_strangers_are_named_and_left_out_and_the_rest_goes_on(self) -> None:
        for i in (1, 2, 10):
            shoot.add_file(self.take.id, f"folder/a_{i}.jpg", [picture(seed=i)])
        shoot.add_file(self.take.id, "a_3.jpg", [picture(120, 120)])
        with self.assertRaisesRegex(UnreadablePicture, "empty"):
            shoot.add_file(self.take.id, "a_4.jpg", [b""])
        done = shoot.finish_take(self.take.id)
        self.assertEqual([f.name for f in done.frames], ["a_1.jpg", "a_2.jpg", "a_3.jpg", "a_10.jpg"])
        self.assertEqual([bool(f.left_out) for f in done.frames], [False, False, True, False])

    def test_sent_twice_is_kept_once_but_another_of_that_name_is_refused(self) -> None:
        shoot.add_file(self.take.id, "a.jpg", [picture(seed=1)])
        shoot.add_file(self.take.id, "a.jpg", [picture(seed=1)])
        with self.assertRaisesRegex(Conflict, "another picture of that name"):
            shoot.add_file(self.take.id, "a.jpg", [picture(seed=2)])
        with self.assertRaisesRegex(Conflict, "holds 1 usable frame"):
            shoot.finish_take(self.take.id)

    def test_a_stack_of_unlike_pictures_fails_with_words_and_writes_nothing(self) -> None:
        for i in range(2):
            shoot.add_file(self.take.id, f"{i}.jpg", [picture(seed=10 + i)])
        shoot.finish_take(self.take.id)
        merged = merge.begin_merge(self.take.id, merge.MergeEntry(method="pyramid"))
        tasks.run(merged.task.id)
        task = plan.read_stack(self.stack.id).takes[-1].merges[0].task
        self.assertEqual(task.state, "failed")
        self.assertRegex(task.message, r"fewer than two .*\(left out: 0.jpg cannot be aligned with its neighbour")
        self.assertFalse(FrameStore(settings().data).product_folder(merged.id).exists())

    def test_a_task_stopped_before_it_began_does_nothing(self) -> None:
        stack = new_stack("OF-stopped")
        take = takes.begin_take(stack.id, "wulfenite")
        assert take.task is not None
        self.assertEqual(tasks.stop(take.task.id).state, "stopped")
        tasks.run(take.task.id)
        self.assertEqual(plan.read_stack(stack.id).takes[0].frames, [])

    def test_an_unknown_scene_is_refused(self) -> None:
        with self.assertRaisesRegex(BadInput, "no simulated specimen"):
            takes.begin_take(self.stack.id, "moon")


if __name__ == "__main__":
    unittest.main()
