"""A mend at the station: the same pixels as the command line, each change kept and taken back."""

import io
import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image
from pydantic import TypeAdapter

from amber_ladder.core.frames import no_progress
from amber_ladder.errors import BadInput, Conflict, NotFound, Stale
from amber_ladder.formats.development_json import DevelopmentJson
from amber_ladder.formats.mend_json import StepJson, StepsJson
from amber_ladder.settings import settings
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import deeds, mend, plan, sort
from amber_ladder.work.mend import desk
from amber_ladder.work.mend.mends import shown
from amber_ladder.work.on_disk.mending import mend_folder
from amber_ladder.work.stack.views import MergeView, TakeView
from tests.support.station import database
from tests.support.takes import a_merge, folder_of, have_done, new_stack, shot_stack, take_of

_STEP: TypeAdapter[StepJson] = TypeAdapter(StepJson)
STROKE = {"kind": "from_frame", "path": [[200, 150], [230, 160]], "radius_px": 14}


def forget() -> None:
    """As after a restart: nothing is at hand."""
    desk._DESK.__init__()  # type: ignore[misc]
    desk._PICTURES.__init__()  # type: ignore[misc]


class Mended(unittest.TestCase):
    """All tests share one take with two merges; each begins a mend of its own."""

    take: TakeView
    merge: MergeView
    other: MergeView

    @classmethod
    def setUpClass(cls) -> None:
        database()
        stack = shot_stack("MEND-1")
        cls.merge = a_merge(stack.takes[0].id, "select")
        cls.other = a_merge(stack.takes[0].id, "pyramid")
        cls.take = plan.read_stack(stack.id).takes[0]

    def begun(self, name: str = "", *, looked_at: bool = True) -> mend.MendView:
        view = mend.begin(self.merge.id, mend.MendEntry(name=name))
        if looked_at and view.rack.spots is None and view.rack.task:
            have_done(view.rack.task.id)
            view = mend.read(view.id)
            assert view.rack.task is not None
            self.assertEqual(view.rack.task.state, "done", view.rack.task.message)
        return view

    def step(self, view: mend.MendView, **step: Any) -> mend.MendView:
        return mend.add_step(view.id, mend.StepEntry(revision=view.revision, step=_STEP.validate_python(step)))

    def set(self, view: mend.MendView, number: int, **step: Any) -> mend.MendView:
        entry = mend.StepEntry(revision=view.revision, step=_STEP.validate_python(step))
        return mend.change_step(view.id, number, entry)

    def file(self, place: int) -> str:
        return str(self.merge.report["frames_used"][place])  # type: ignore[index]

    def picture(self, view: mend.MendView) -> NDArray[np.uint8]:
        there, steps = shown(view.id)
        return np.asarray(there.mended(steps).whole(no_progress)[0], np.uint8)

    def undone(self, view: mend.MendView) -> mend.MendView:
        return mend.undo(view.id, mend.Seen(revision=view.revision))

    def test_what_is_written_is_what_the_command_line_makes_of_the_same_steps(self) -> None:
        view = self.begun("for the plate")
        view = self.step(view, kind="tone", gamma=1.2)
        view = self.step(view, **STROKE, file=self.file(4))
        view = self.step(view, kind="from_merge", merge=str(self.other.id), path=[[300, 180]], radius_px=20)
        view = self.step(view, kind="crop", x=10, y=10, width=300, height=200)
        mend.finish(view.id)
        written = mend.read(view.id).mended
        assert written is not None
        have_done(written.task.id)
        written = mend.read(view.id).mended
        assert written is not None
        assert written.report is not None
        here = FrameStore(settings().data).product_folder(written.id)
        # The steps as a file, with the merge's folder where the station says its number; the frames by their names.
        told = mend.steps_json(view.id)
        told["steps"][1]["merge"] = str(folder_of(self.other))
        self.assertEqual([one["kind"] for one in told["steps"]], ["from_frame", "from_merge", "tone", "crop"])
        with tempfile.TemporaryDirectory(dir="/tmp") as scratch:
            frames = Path(scratch, "frames")
            frames.mkdir()
            store = FrameStore(settings().data)
            for frame in self.take.frames:
                (frames / frame.name).symlink_to(store.original(frame.sha256, ".jpg"))
            steps = StepsJson.model_validate(json.loads(json.dumps(told))).steps
            mend_folder(folder_of(self.merge), steps, frames, Path(scratch, "out"), no_progress)
            for name in ("composite.tif", "changed.tif"):
                self.assertEqual(Path(scratch, "out", name).read_bytes(), (here / name).read_bytes(), name)
        self.assertEqual(tifffile.imread(here / "composite.tif").shape, (200, 300, 3))
        with self.assertRaisesRegex(Conflict, "written already"):
            mend.finish(view.id)

    def test_undo_reaches_the_beginning_and_redo_the_end(self) -> None:
        view = self.begun()
        untouched = view.tiles
        self.assertEqual({key for row in untouched for key in row}, {"0"})
        pictures = [self.picture(view)]
        for place in (3, 6, 9):
            view = self.step(view, **STROKE, file=self.file(place))
            pictures.append(self.picture(view))
        names = view.tiles
        for before in reversed(pictures[:-1]):
            view = self.undone(view)
            np.testing.assert_array_equal(self.picture(view), before)
        self.assertEqual((view.tiles, view.undo, view.steps), (untouched, None, []))
        with self.assertRaisesRegex(Conflict, "beginning"):
            self.undone(view)
        for _ in range(3):
            view = mend.redo(view.id, mend.Seen(revision=view.revision))
        self.assertEqual((view.tiles, view.redo), (names, None))
        # What is done after undoing takes the place of what was undone.
        view = self.step(self.undone(self.undone(view)), kind="erase", path=[[210, 150]], radius_px=8)
        self.assertEqual([one.step["kind"] for one in view.steps], ["from_frame", "erase"])
        with self.assertRaisesRegex(Conflict, "nothing was undone"):
            mend.redo(view.id, mend.Seen(revision=view.revision))

    def test_a_step_switched_off_is_as_none_and_nothing_is_lost_with_a_restart(self) -> None:
        view = self.step(self.begun(), **STROKE, file=self.file(4))
        alone, name = self.picture(view), view.tiles
        two = self.step(view, kind="heal", path=[[100, 90]], radius_px=9, **{"from": [140, 100]})
        self.assertNotEqual(two.tiles, name)
        forget()
        again = mend.read(two.id)
        self.assertEqual(again, two)
        off = self.set(two, 1, kind="heal", path=[[100, 90]], radius_px=9, off=True, **{"from": [140, 100]})
        self.assertEqual(off.tiles, name)
        np.testing.assert_array_equal(self.picture(off), alone)
        self.assertEqual(off.undo, "healing off")

    def in_small_tiles(self, view: mend.MendView) -> mend.MendView:
        """The same, as if its picture were much larger than a tile."""
        desk.opened(self.merge.id).tile_px = 128
        self.addCleanup(forget)
        return mend.read(view.id)

    def test_a_tile_is_named_by_what_touches_it_alone(self) -> None:
        view = self.in_small_tiles(self.step(self.begun(), **STROKE, file=self.file(4)))
        touched = [[key != "0" for key in row] for row in view.tiles]
        self.assertEqual(touched, [[row == 1 and column == 1 for column in range(3)] for row in range(2)])
        key = view.tiles[1][1]
        tile = mend.tile(view.id, key, 0, 1, 1)
        self.assertTrue(tile.lasts)
        self.assertEqual(Image.open(io.BytesIO(tile.picture)).size, (128, 128))
        self.assertFalse(mend.tile(view.id, "0", 0, 1, 1).lasts)  # not what that name stands for
        # Made smaller, it is the whole picture in one tile.
        whole = Image.open(io.BytesIO(mend.tile(view.id, "0", 2, 0, 0).picture))
        self.assertEqual(whole.size, (-(-view.width_px // 4), -(-view.height_px // 4)))
        seams = np.asarray(Image.open(io.BytesIO(mend.marks(view.id, "seams", key, 0, 1, 1).picture)))
        rows, columns = np.nonzero(seams[..., 3])
        self.assertTrue(0 <= rows.min() <= rows.max() <= 60 and 50 <= columns.min() <= columns.max() <= 127)
        with self.assertRaises(NotFound):
            mend.tile(view.id, "0", 0, 7, 0)

    def test_what_is_healed_is_named_by_what_it_is_taken_from_too(self) -> None:
        heal = {"kind": "heal", "path": [[330, 60]], "radius_px": 9, "from": [215, 155]}
        view = self.in_small_tiles(self.step(self.step(self.begun(), **STROKE, file=self.file(4)), **heal))
        nudged = self.set(view, 0, **STROKE, file=self.file(4), nudge=[3, 0])
        self.assertNotEqual(view.tiles[0][2], nudged.tiles[0][2])
        self.assertEqual(view.tiles[1][2], nudged.tiles[1][2])

    def test_what_is_sharpened_changes_with_what_is_painted_beside_it(self) -> None:
        view = self.step(self.begun(), kind="sharpen", radius_px=8, amount=1)
        view = self.in_small_tiles(view)
        painted = self.step(view, kind="erase", path=[[120, 60]], radius_px=5)
        changed = [a != b for a, b in zip(view.tiles[0], painted.tiles[0], strict=True)]
        self.assertEqual(changed, [True, True, False])

    def test_the_frames_that_are_sharpest_at_a_place_are_told(self) -> None:
        self.begun()
        depth = np.asarray(tifffile.imread(folder_of(self.merge) / "depth.tif"))
        report = self.merge.report
        assert report is not None
        depths = {one["file"]: one["depth"] for one in report["registration"]}
        apart = abs(float(np.median(np.diff(sorted(depths.values())))))
        rows, columns = np.nonzero(np.isfinite(depth))
        off = []
        for at in range(0, len(rows), max(1, len(rows) // 60)):
            found = mend.sharpest_here(self.merge.id, float(columns[at]), float(rows[at]), 8)
            self.assertEqual(len(found), 4)
            self.assertEqual(found[0].figure, 1.0)
            self.assertEqual([one.figure for one in found], sorted((one.figure for one in found), reverse=True))
            off.append(abs(depths[found[0].file] - float(depth[rows[at], columns[at]])) / apart)
        self.assertLessEqual(float(np.median(off)), 1.0)

    def test_dust_waits_until_the_frames_were_looked_at(self) -> None:
        view = self.begun()
        view = self.step(view, kind="dust")
        self.assertIn("spots", view.steps[0].said)

    def test_two_windows_do_not_write_over_each_other(self) -> None:
        view = self.begun()
        self.step(view, **STROKE, file=self.file(4))
        with self.assertRaises(Stale):
            self.step(view, **STROKE, file=self.file(5))
        with self.assertRaises(Stale):
            self.undone(view)
        self.assertEqual(len(mend.read(view.id).steps), 1)

    def test_what_cannot_be_done_is_named_and_changes_nothing(self) -> None:
        view = self.begun()
        # Another take of the same field: its frames have the same names and sizes.
        again = take_of(new_stack("MEND-OTHER", far_um=700), self.take.frames[:8])
        another = a_merge(again).id
        for words, step in (
            ("is not among the frames", {**STROKE, "file": "nobody.jpg"}),
            ("lies outside", {**STROKE, "path": [[5000, 5000]], "file": self.file(4)}),
            ("beyond the picture", {"kind": "heal", "path": [[100, 90]], "radius_px": 9, "from": [-90, 0]}),
            ("no merge of this station", {"kind": "from_merge", "merge": "..", "path": [[9, 9]], "radius_px": 9}),
            ("no merge of this station", {"kind": "from_merge", "merge": "99", "path": [[9, 9]], "radius_px": 9}),
            ("one of another take", {"kind": "from_merge", "merge": str(another), "path": [[9, 9]], "radius_px": 9}),
            ("beyond the picture", {"kind": "crop", "x": 0, "y": 0, "width": 9000, "height": 10}),
            ("name a frame", {**STROKE, "file": "best"}),
        ):
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                self.step(view, **step)
        self.assertEqual(mend.read(view.id), view)

    def test_a_copy_goes_its_own_way_and_can_be_made_anew_on_another_merge(self) -> None:
        view = self.step(self.begun("first"), **STROKE, file=self.file(4))
        same = mend.copy(view.id, mend.CopyEntry())
        self.assertEqual((same.name, same.tiles), ("first, copy", view.tiles))
        anew = mend.copy(view.id, mend.CopyEntry(merge_id=self.other.id, name="on the pyramid"))
        self.assertEqual((anew.merge_id, len(anew.steps)), (self.other.id, 1))
        self.assertNotEqual(anew.steps[0].said, {})
        self.step(same, kind="erase", path=[[210, 150]], radius_px=8)
        self.assertEqual(len(mend.read(view.id).steps), 1)
        self.assertEqual([one.id for one in plan.read_stack(view.stack_id).takes[0].mends][-2:], [same.id, anew.id])

    def test_one_crop_takes_the_place_of_another(self) -> None:
        view = self.step(self.begun(), kind="crop", x=0, y=0, width=300, height=200)
        view = self.step(view, kind="crop", x=5, y=5, width=200, height=100)
        self.assertEqual([one.step["width"] for one in view.steps], [200])
        self.assertEqual(self.undone(view).steps[0].step["width"], 300)

    def test_before_and_after_stand_side_by_side(self) -> None:
        view = self.step(self.begun(), **STROKE, file=self.file(30))
        entry = mend.SideEntry(x_px=150, y_px=100, width_px=120, height_px=100)
        sheet = np.asarray(Image.open(io.BytesIO(mend.before_and_after(view.id, entry))))
        composite = tifffile.imread(folder_of(self.merge) / "composite.tif")[100:200, 150:270]
        mended = self.picture(view)[100:200, 150:270]
        middle = sheet.shape[1] // 2
        for half, whole in ((sheet[:, :middle], composite), (sheet[:, middle:], mended)):
            # By sums that are rounded: it tells where only.
            likeness = cv2.matchTemplate(half.copy(), whole.copy(), cv2.TM_SQDIFF)
            top, left = np.unravel_index(int(likeness.argmin()), likeness.shape)
            np.testing.assert_array_equal(half[top : top + whole.shape[0], left : left + whole.shape[1]], whole)
        self.assertFalse(np.array_equal(composite, mended))

    def test_a_mend_thrown_away_comes_back_with_all_its_steps(self) -> None:
        view = self.step(self.begun("gone for now"), **STROKE, file=self.file(4))
        gone = deeds.discard(deeds.DiscardEntry(kind="mend", id=view.id, why="a try"))
        with self.assertRaises(NotFound):
            mend.read(view.id)
        deeds.restore(gone.id)
        self.assertEqual(mend.read(view.id), view)


class Developed(unittest.TestCase):
    def test_a_developed_take_is_mended_in_16_bits_and_frames_are_developed_again_where_they_are_gone(self) -> None:
        shot = shot_stack("MEND-1")
        take_id = take_of(new_stack("MEND-16", far_um=700), shot.takes[0].frames[6:16])
        sort.set_development(take_id, sort.DevelopmentEntry(development=DevelopmentJson(exposure_stops=-1.0)))
        done = a_merge(take_id)
        composite = tifffile.imread(folder_of(done) / "composite.tif")
        self.assertEqual(composite.dtype, np.uint16)
        view = mend.begin(done.id, mend.MendEntry())
        self.assertEqual(view.bits, 16)
        kept = list(FrameStore(settings().data).developed_folder().glob("*.tif"))
        self.assertGreaterEqual(len(kept), 10)
        before = {path.name: path.read_bytes() for path in kept}
        for path in kept:
            path.unlink()  # as if room had been needed
        file = done.report["frames_used"][2]  # type: ignore[index]
        step = _STEP.validate_python({**STROKE, "file": file, "strength": 1, "softness": 0})
        view = mend.add_step(view.id, mend.StepEntry(revision=view.revision, step=step))
        again = list(FrameStore(settings().data).developed_folder().glob("*.tif"))
        self.assertEqual([path.read_bytes() == before[path.name] for path in again], [True])  # that one alone
        mend.finish(view.id)
        written = mend.read(view.id).mended
        assert written is not None
        have_done(written.task.id)
        folder = FrameStore(settings().data).product_folder(written.id)
        picture, kinds = tifffile.imread(folder / "composite.tif"), tifffile.imread(folder / "changed.tif")
        self.assertEqual(picture.dtype, np.uint16)
        np.testing.assert_array_equal(picture[kinds == 0], composite[kinds == 0])
        # What was painted is the frame's own tones, not 8 bits of them.
        self.assertGreater(len(np.unique(picture[kinds == 1] & 0xFF)), 100)
