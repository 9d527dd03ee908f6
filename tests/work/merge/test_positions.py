"""Depth comes from where frames lie: in any order of arrival, as reported, and not at all where nobody knows."""

import unittest
from typing import Any, ClassVar

import numpy as np
import tifffile

from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work import ledger, merge, plan, record, tasks
from amber_ladder.work.practice import takes
from amber_ladder.work.stack.views import MergeView, StackView, TakeView
from tests.support.station import database
from tests.support.takes import folder_of, have_done, merged, new_stack, shot_stack, take_of


def depth_of(done: Any) -> np.ndarray:
    return np.asarray(tifffile.imread(folder_of(done) / "depth.tif"))


class Order(unittest.TestCase):
    def setUp(self) -> None:
        self.stack = shot_stack()
        self.frames = self.stack.takes[0].frames
        self.true = depth_of(merged(self.stack.takes[0].id))
        self.assertGreater(float(np.isfinite(self.true).mean()), 0.3)

    def test_a_take_that_was_repaired_at_the_near_end_has_the_same_depth(self) -> None:
        done = merged(take_of(self.stack, [*self.frames[2:], *self.frames[:2]]))
        np.testing.assert_array_equal(depth_of(done), self.true)

    def test_so_has_one_that_was_shot_from_far_to_near(self) -> None:
        done = merged(take_of(self.stack, self.frames[::-1]))
        np.testing.assert_array_equal(depth_of(done), self.true)

    def test_a_missing_rung_leaves_its_place_in_depth(self) -> None:
        middle = len(self.frames) // 2
        done = merged(take_of(self.stack, [*self.frames[:middle], *self.frames[middle + 1 :]]))
        found = depth_of(done)
        both = np.isfinite(found) & np.isfinite(self.true)
        step = self.stack.ladder.step_in_medium_um
        self.assertLess(float(np.median(np.abs(found[both] - self.true[both]))), 0.5 * step)

    def test_where_the_rail_said_it_was_goes_before_where_it_was_sent(self) -> None:
        stretched = {frame.id: 1.1 * (frame.planned_um or 0.0) for frame in self.frames}
        take_id = take_of(self.stack, self.frames)
        with transaction() as session:
            for frame in stacks.get_take(session, take_id).frames:
                frame.reported_um = 1.1 * (frame.planned_um or 0.0)
        done = merged(take_id)
        self.assertEqual(len(stretched), len(self.frames))
        # Longer steps blur more, which aligning reckons with: the geometry is not the same to the last digit.
        found = depth_of(done)
        both = np.isfinite(found) & np.isfinite(self.true)
        self.assertGreater(both.sum(), 0.97 * np.isfinite(self.true).sum())
        step = self.stack.ladder.step_in_medium_um
        self.assertLess(float(np.quantile(np.abs(found[both] - 1.1 * self.true[both]), 0.9)), 0.05 * step)
        assert done.report is not None
        self.assertEqual(done.report["settings"]["depth_from"], "reported")
        # Ten per cent of 700 µm at the far end is more than a quarter of the sharp depth: that is said.
        take = next(one for one in plan.read_stack(self.stack.id).takes if one.id == take_id)
        self.assertIn("from their rungs, more than a quarter of the sharp depth", take.series.warnings[0])

    def test_one_that_an_earlier_version_had_begun_is_sorted_when_it_is_done(self) -> None:
        take_id = take_of(self.stack, self.frames[::-1])
        begun = merge.begin_merge(take_id, merge.MergeEntry(method="select"))
        with transaction() as session:
            stacks.get_product(session, begun.id, "merge").sorting_id = None
        tasks.run(begun.task.id)
        with transaction() as session:
            product = stacks.get_product(session, begun.id, "merge")
            self.assertEqual((product.task.state, product.sorting is not None), ("done", True))
        np.testing.assert_array_equal(depth_of(begun), self.true)

    def test_a_merge_refers_to_its_sorting_and_the_same_one_is_kept_once(self) -> None:
        take_id = take_of(self.stack, self.frames[::-1])
        first, second = merged(take_id), merged(take_id, "blend")
        with transaction() as session:
            one, two = (stacks.get_product(session, done.id, "merge") for done in (first, second))
            assert one.sorting is not None
            self.assertEqual(one.sorting_id, two.sorting_id)
            nearest = next(f for f in one.take.frames if f.id == one.sorting.series[0]["frame_id"])
            self.assertEqual(nearest.planned_um, self.stack.ladder.positions_um[0])
            self.assertEqual((one.settings["method"], one.version is not None), ("select", True))
            self.assertEqual(one.files, ["composite.tif", "depth.tif", "depth_u.tif", "report.json"])
            self.assertEqual(one.task.stack_id, self.stack.id)


class Fine(unittest.TestCase):
    def test_a_rung_less_in_a_very_fine_ladder_is_no_gap_and_three_are(self) -> None:
        """Frames 0.4 of the sharp depth apart: without one, sharp depths still meet; without three, they don't."""
        database()
        stack = new_stack("POS-FINE", far_um=250, overlap=0.6)
        begun = takes.begin_take(stack.id, "moss-capsule")
        assert begun.task is not None
        have_done(begun.task.id)
        frames = plan.read_stack(stack.id).takes[0].frames
        whole = merged(begun.id)
        assert whole.report is not None
        share = [whole.report["share"][frame.name] for frame in frames]
        most = max(range(3, len(frames) - 3), key=lambda at: sum(share[at - 1 : at + 2]))

        def found(left_out: int) -> list[str]:
            kept = [*frames[: most - left_out // 2], *frames[most - left_out // 2 + left_out :]]
            report = merged(take_of(stack, kept)).report
            assert report is not None
            return [one["kind"] for one in report["findings"] if one["kind"] == "gap"]

        self.assertEqual((found(1), found(3)), ([], ["gap"]))


class Unknown(unittest.TestCase):
    """A burst by hand: nobody knows where its frames lie."""

    stack: ClassVar[StackView]
    done: ClassVar[MergeView]
    take: ClassVar[TakeView]

    @classmethod
    def setUpClass(cls) -> None:
        cls.stack = shot_stack()
        nowhere = {"rung": None, "planned_um": None, "reported_um": None}
        devices: dict[str, Any] = {"rail": None, "camera": "folder", "folder": "/card", "flaws": []}
        take_id = take_of(cls.stack, cls.stack.takes[0].frames, source="folder", devices=devices, **nowhere)
        cls.done = merged(take_id)
        cls.take = next(one for one in plan.read_stack(cls.stack.id).takes if one.id == take_id)

    def test_depth_counts_frames_and_no_um(self) -> None:
        assert self.done.report is not None
        self.assertIsNone(self.done.depth_um)
        self.assertEqual(self.done.report["settings"]["depth_unit"], "frames")
        self.assertIsNone(self.done.report["settings"]["step_um"])
        self.assertIsNone(self.done.report["settings"]["depth_from"])
        self.assertLess(float(np.nanmax(depth_of(self.done))), len(self.take.frames))

    def test_neither_step_nor_overlap_nor_depth_is_said(self) -> None:
        series = self.take.series
        self.assertEqual((series.step_um, series.overlap, series.depth_um, series.depth_from), (None,) * 4)
        self.assertEqual((series.gaps, series.missing, series.rungs_um), ([], [], []))
        self.assertIn("Where these frames lie is not known", series.warnings[0])

    def test_the_record_and_the_ledger_leave_it_open(self) -> None:
        content, _ = record.record(self.done.id)
        self.assertIsNone(content["take"]["series"]["step_um"])
        self.assertIsNone(content["sorting"]["depth_from"])
        self.assertEqual({one["depth_um"] for one in content["sorting"]["series"]}, {None})
        head, *lines = (line.split(",") for line in ledger.as_csv().splitlines())
        row = dict(zip(head, next(line for line in lines if line[0] == "SHOT-1"), strict=False))
        # The line is that of the latest merge of the stack, which is this one or a later one of the same process.
        if row["merge"] == str(self.done.number) and row["take"] == str(self.take.number):
            self.assertEqual((row["step µm (stage)"], row["overlap"], row["depth µm"]), ("", "", ""))
            self.assertEqual(row["positions"], "not known")


class Strangers(unittest.TestCase):
    def test_one_deep_frame_among_many_takes_no_part_in_a_pyramid(self) -> None:
        stack = shot_stack()
        frames = stack.takes[0].frames
        plain = merged(take_of(stack, [*frames[:4], *frames[5:]]), "pyramid")
        take_id = take_of(stack, frames)
        with transaction() as session:
            stacks.get_take(session, take_id).frames[4].bits = 16
        done = merged(take_id, "pyramid")
        assert done.report is not None
        self.assertEqual(done.report["excluded"][0]["file"], "arrived_004.jpg")
        self.assertIn("16 bits", done.report["excluded"][0]["reason"])
        one, two = (np.asarray(tifffile.imread(folder_of(m) / "composite.tif")) for m in (done, plain))
        np.testing.assert_array_equal(one, two)

    def test_too_few_alike_fail_with_words(self) -> None:
        stack = shot_stack()
        take_id = take_of(stack, stack.takes[0].frames[:2])
        with transaction() as session:
            stacks.get_take(session, take_id).frames[1].width_px = 99
        begun = merge.begin_merge(take_id, merge.MergeEntry(method="select"))
        tasks.run(begun.task.id)
        take = next(one for one in plan.read_stack(stack.id).takes if one.id == take_id)
        self.assertEqual(take.merges[0].task.state, "failed")
        self.assertIn("holds 1 usable frame", take.merges[0].task.message)


class Scale(unittest.TestCase):
    def test_frames_that_do_not_fill_the_rigs_sensor_have_no_known_scale(self) -> None:
        small = new_stack("SCALE-1")
        shot = shot_stack()
        with transaction() as session:
            stored = stacks.get_stack(session, small.id)
            stored.rig = {**stored.rig, "sensor": {"width_px": 768, "height_px": 512, "pixel_um": 2.5}}
        take_id = take_of(small, shot.takes[0].frames)
        done = merged(take_id)
        shown = record.label(done.id)
        self.assertEqual((shown.um_per_px, shown.bar, shown.scale_from), (None, None, None))
        self.assertTrue(record.picture(done.id, "png")[0].startswith(b"\x89PNG"))
        assert done.report is not None
        self.assertIsNone(done.report["settings"]["um_per_px"])
        take = plan.read_stack(small.id).takes[0]
        self.assertIn("their scale is not known", take.series.warnings[-1])


if __name__ == "__main__":
    unittest.main()
