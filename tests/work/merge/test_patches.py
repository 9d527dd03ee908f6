"""Trying a patch before the whole run, and merging again without aligning again."""

import io
import unittest
from hashlib import sha256
from pathlib import Path

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image
from pydantic import ValidationError

from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.surveys import FILE
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work import merge, plan, tasks
from amber_ladder.work.merge import MergeEntry, PatchEntry
from amber_ladder.work.stack.views import MergeView, StackView
from tests.support.station import database
from tests.support.takes import folder_of, merged, new_stack, shot_stack, take_of

BOX = {"x_px": 60, "y_px": 50, "width_px": 120, "height_px": 90}


class Tried(unittest.TestCase):
    def setUp(self) -> None:
        database()

    def stack(self, number: str) -> tuple[StackView, int]:
        stack = new_stack(number, far_um=700)
        return stack, take_of(stack, shot_stack().takes[0].frames[8:20])

    def patch(self, done: MergeView, **entry: object) -> NDArray[np.uint8]:
        content = merge.try_patch(done.id, PatchEntry(**BOX, settings=MergeEntry(**entry)))  # type: ignore[arg-type]
        return np.asarray(Image.open(io.BytesIO(content)), np.uint8)

    def test_it_is_what_the_whole_run_then_shows(self) -> None:
        _, take_id = self.stack("PA-1")
        first = merged(take_id, "select")
        for method in ("blend", "select"):
            tried = self.patch(first, method=method)
            whole = tifffile.imread(folder_of(merged(take_id, method)) / "composite.tif")[50:140, 60:180]
            np.testing.assert_allclose(tried.astype(int), whole, atol=1)

    def test_what_cannot_be_tried_is_refused_in_words(self) -> None:
        stack, take_id = self.stack("PA-2")
        done = merged(take_id)
        with self.assertRaisesRegex(BadInput, "within the dashed line"):
            merge.try_patch(done.id, PatchEntry(**{**BOX, "x_px": 700}, settings=MergeEntry()))
        with self.assertRaisesRegex(BadInput, "decided for the whole picture"):
            self.patch(done, moved="far")
        with self.assertRaisesRegex(BadInput, "nothing lies between"):
            self.patch(done, sharp_near_um=9000, sharp_far_um=9900)
        with self.assertRaises(ValidationError):
            PatchEntry(**{**BOX, "width_px": 513}, settings=MergeEntry())
        with self.assertRaisesRegex(Conflict, "not finished"):
            self.patch(merge.begin_merge(take_id, MergeEntry(method="blend")), method="blend")
        second = merged(take_id)
        (folder_of(second) / FILE).unlink()
        with self.assertRaisesRegex(Conflict, "merge the take once more"):
            self.patch(second)
        with transaction() as session:
            stacks.get_product(session, done.id, "merge").sorting = None
        with self.assertRaisesRegex(Conflict, "merge the take once more"):
            self.patch(done)
        self.assertEqual(plan.read_stack(stack.id).takes[0].merges[0].id, done.id)

    def test_a_further_merge_begins_where_the_first_one_had_aligned_and_is_the_same_to_the_byte(self) -> None:
        _, take_id = self.stack("PA-3")
        first = merged(take_id, "select")
        begun = merge.begin_merge(take_id, MergeEntry(method="select"))
        phases = _phases_of(begun.task.id)
        self.assertNotIn("register", phases)
        self.assertEqual(_sums(folder_of(first)), _sums(folder_of(begun)))
        # What is left out or shown from another side is aligned anew.
        self.assertIn("register", _phases_of(merge.begin_merge(take_id, MergeEntry(moved="near")).task.id))

    def test_an_alignment_that_is_damaged_is_made_anew(self) -> None:
        _, take_id = self.stack("PA-4")
        first = merged(take_id, "select")
        kept = folder_of(first) / FILE
        kept.write_bytes(kept.read_bytes()[:-2000])
        second = merged(take_id, "select")
        self.assertEqual(_sums(folder_of(first)), _sums(folder_of(second)))


def _phases_of(task_id: int) -> set[str]:
    """The phases that a merge passes through."""
    phases = set()
    merge.merge_take(task_id, lambda phase, done, total: phases.add(phase))
    tasks.run(task_id)  # to its end, that nothing is left over
    return phases


def _sums(folder: Path) -> dict[str, str]:
    return {path.name: sha256(path.read_bytes()).hexdigest() for path in sorted(folder.glob("*.tif"))}


if __name__ == "__main__":
    unittest.main()
