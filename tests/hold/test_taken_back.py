"""What was done can be undone, what was thrown away comes back; and what goes for good takes its files along."""

import unittest
from datetime import timedelta
from pathlib import Path

from amber_ladder.core.history import faults_of
from amber_ladder.errors import Conflict, NotFound
from amber_ladder.settings import settings
from amber_ladder.store import history
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Frame, Specimen
from amber_ladder.work import cabinet, deeds, ledger, merge, pictures, plan, record, rigs, sort
from amber_ladder.work.rigs import parts
from amber_ladder.work.stack.views import FrameView
from tests.support.examples import RIG, SPECIMEN
from tests.support.station import database
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


def discard(kind: str, number: int) -> deeds.DiscardView:
    return deeds.discard(deeds.DiscardEntry(kind=kind, id=number, why="a trial"))  # type: ignore[arg-type]


def undo_last() -> str:
    last = deeds.last_deed()
    assert last is not None
    deeds.undo(last.id)
    return last.words


class Discarding(unittest.TestCase):
    def setUp(self) -> None:
        database()
        self.frames: list[FrameView] = shot_stack().takes[0].frames

    def stack_with_a_merge(self, number: str) -> tuple[int, int, int, int]:
        stack = new_stack(number, far_um=700)
        take_id = take_of(stack, self.frames)
        return stack.specimen.id, stack.id, take_id, a_merge(take_id).id

    def test_a_specimen_goes_with_all_that_is_its_own_and_comes_back_whole(self) -> None:
        specimen_id, stack_id, take_id, merge_id = self.stack_with_a_merge("GONE-1")
        gone = discard("specimen", specimen_id)
        self.assertEqual((gone.what, gone.why), ("GONE-1 moss capsule", "a trial"))
        self.assertEqual(cabinet.browse("GONE-1").rows, [])
        self.assertNotIn("GONE-1", ledger.as_csv())
        for missing in (
            lambda: cabinet.read_specimen(specimen_id),
            lambda: plan.read_stack(stack_id),
            lambda: merge.begin_merge(take_id, merge.MergeEntry(method="select")),
            lambda: record.record(merge_id),
            lambda: discard("stack", stack_id),
        ):
            with self.assertRaises(NotFound):
                missing()
        self.assertIn(gone, deeds.discarded())
        deeds.restore(gone.id)
        self.assertEqual(len(cabinet.browse("GONE-1").rows[0].stacks[0].takes), 1)
        self.assertEqual(record.record(merge_id)[0]["specimen"]["catalogue_number"], "GONE-1")
        self.assertNotIn(gone.id, [one.id for one in deeds.discarded()])

    def test_a_part_comes_back_only_into_its_whole_and_what_went_before_stays_gone(self) -> None:
        specimen_id, stack_id, take_id, merge_id = self.stack_with_a_merge("GONE-2")
        first = discard("merge", merge_id)
        second = discard("take", take_id)
        with self.assertRaisesRegex(Conflict, "restore that first"):
            deeds.restore(first.id)
        deeds.restore(second.id)
        self.assertEqual(plan.read_stack(stack_id).takes[0].merges, [])
        deeds.restore(first.id)
        self.assertEqual([one.id for one in plan.read_stack(stack_id).takes[0].merges], [merge_id])
        # Numbers are not given again: a second take is told from the first for ever.
        discard("take", take_id)
        take_of(plan.read_stack(stack_id), self.frames)
        self.assertEqual([one.number for one in plan.read_stack(stack_id).takes], [2])
        self.assertEqual(cabinet.read_specimen(specimen_id).catalogue_number, "GONE-2")

    def test_a_name_is_free_again_and_then_the_old_one_cannot_come_back(self) -> None:
        label = cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": "GONE-3"})
        gone = discard("specimen", cabinet.add_specimen(label).id)
        cabinet.add_specimen(label)
        with self.assertRaisesRegex(Conflict, "its name is taken by now"):
            deeds.restore(gone.id)
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "gone rig"}))
        part = parts.add_part(parts.PartEntry(name="gone", part={"kind": "rail", "click_um": 2.5}))  # type: ignore[arg-type]
        discard("rig", rig.id)
        discard("part", part.id)
        self.assertNotIn("gone rig", [one.name for one in rigs.shelf()])
        self.assertNotIn("gone", [one.name for one in parts.shelf()])

    def test_what_is_in_use_is_not_thrown_away(self) -> None:
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "rig that stands"}))
        rigs.put_on_bench(rig.id, rigs.BenchEntry(flash_power=0.1))
        with self.assertRaisesRegex(Conflict, "stands on the bench"):
            discard("rig", rig.id)
        stack = new_stack("GONE-4", far_um=700)
        take_id = take_of(stack, self.frames)
        merge.begin_merge(take_id, merge.MergeEntry(method="select"))
        with self.assertRaisesRegex(Conflict, "take 1 of stack 1 of GONE-4 is being worked on"):
            discard("take", take_id)

    def test_a_stack_whose_rig_is_gone_works_on(self) -> None:
        _, stack_id, take_id, _ = self.stack_with_a_merge("GONE-5")
        discard("rig", plan.read_stack(stack_id).rig_id)
        self.assertEqual(plan.read_stack(stack_id).rig_name, "rig of GONE-5")
        assert a_merge(take_id).report is not None

    def test_after_thirty_days_it_goes_for_good_and_originals_that_others_use_stay(self) -> None:
        specimen_id, _, take_id, merge_id = self.stack_with_a_merge("GONE-6")
        store = FrameStore(settings().data)
        kept = self.frames[0]
        with transaction() as session:
            own = store.adopt(store.receive([b"only here"]), ".jpg")
            session.add(Frame(take_id=take_id, place=99, name="own.jpg", sha256=own.stem, suffix=".jpg", bytes=9,
                              width_px=1, height_px=1, bits=8))  # fmt: skip
        pictures.prepare_tiles(store, merge_id)
        discard("specimen", specimen_id)
        self.assertEqual(deeds.remove_old(now() + timedelta(days=29)), 0)
        self.assertTrue(store.product_folder(merge_id).is_dir())
        self.assertGreaterEqual(deeds.remove_old(now() + timedelta(days=31)), 1)
        for gone in (store.product_folder(merge_id), own, *settings().data.glob(f"tiles/merge-{merge_id:06d}*")):
            self.assertFalse(gone.exists(), gone)
        self.assertTrue(store.original(kept.sha256, Path(kept.name).suffix).is_file())
        with transaction() as session:
            self.assertIsNone(session.get(Specimen, specimen_id, execution_options={"with_discarded": True}))
        self.assertNotIn("GONE-6", " ".join(one.what for one in deeds.discarded()))


class Undoing(unittest.TestCase):
    def setUp(self) -> None:
        database()

    def test_a_label_as_it_stood_and_the_record_keeps_both(self) -> None:
        stack = new_stack("UNDO-1")
        label = {**SPECIMEN, "catalogue_number": "UNDO-1"}
        cabinet.edit_specimen(stack.specimen.id, cabinet.SpecimenEntry(**{**label, "name": "moss lid"}))
        self.assertEqual(undo_last(), "label of UNDO-1 corrected")
        self.assertEqual(cabinet.read_specimen(stack.specimen.id).name, "moss capsule")
        with transaction() as session:
            entries = [one.as_json() for one in history.of_stack(session, stack.id)]
        self.assertEqual(
            [(one["did"], one["words"]) for one in entries],
            [("planned", "stack 1 of UNDO-1 planned"), ("corrected", "label of UNDO-1 corrected"),
             ("undone", "undone: label of UNDO-1 corrected")],
        )  # fmt: skip
        self.assertEqual(entries[0]["facts"]["specimen"]["name"], "moss capsule")
        (change,) = entries[1]["facts"]["changes"]
        self.assertEqual((change["before"], change["after"]), ({"name": "moss capsule"}, {"name": "moss lid"}))
        self.assertEqual(faults_of(entries), [])
        # The next undo goes further back: the stack that was planned for it is thrown away.
        self.assertEqual(undo_last(), "stack 1 of UNDO-1 planned")
        with self.assertRaises(NotFound):
            plan.read_stack(stack.id)

    def test_what_was_changed_again_is_not_undone(self) -> None:
        stack = new_stack("UNDO-2")
        plan.set_ends(stack.id, plan.EndsEntry(near_um=1, far_um=500))
        first = deeds.last_deed()
        assert first is not None
        plan.set_ends(stack.id, plan.EndsEntry(near_um=1, far_um=600))
        with self.assertRaisesRegex(Conflict, "changed again since"):
            deeds.undo(first.id)
        undo_last()
        self.assertEqual(plan.read_stack(stack.id).plan.far_um, 500)
        undo_last()
        self.assertEqual(plan.read_stack(stack.id).plan.far_um, 200)
        with self.assertRaisesRegex(Conflict, "undone already"):
            deeds.undo(first.id)

    def test_a_plan_that_was_shot_stays(self) -> None:
        stack = new_stack("UNDO-3", far_um=700)
        plan.set_ends(stack.id, plan.EndsEntry(near_um=1, far_um=600))
        take_of(stack, shot_stack().takes[0].frames)
        with self.assertRaisesRegex(Conflict, "shot since"):
            undo_last()

    def test_frames_rigs_parts_and_discards(self) -> None:
        stack = new_stack("UNDO-4", far_um=700)
        take_id = take_of(stack, shot_stack().takes[0].frames)
        frame = plan.read_stack(stack.id).takes[0].frames[1]
        sort.leave_out(frame.id, sort.LeaveOutEntry(reason="dark"))
        discard("take", take_id)
        self.assertIn("take 1 of stack 1 of UNDO-4 discarded: a trial", undo_last())
        self.assertEqual(undo_last(), f"{frame.name} left out: dark")
        self.assertIsNone(plan.read_stack(stack.id).takes[0].frames[1].left_out)
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "undone"}))
        rigs.edit_rig(rig.id, rigs.RigEntry(**{**RIG, "name": "undone", "working_distance_mm": 20}))
        undo_last()
        again = next(one for one in rigs.shelf() if one.id == rig.id)
        self.assertEqual((again.rig.working_distance_mm, again.version), (None, 3))
        self.assertEqual(len(rigs.versions(rig.id)), 3)
        before = next((one.id for one in rigs.shelf() if one.on_bench), None)
        rigs.put_on_bench(rig.id, rigs.BenchEntry(flash_power=0.5))
        undo_last()
        self.assertEqual(next((one.id for one in rigs.shelf() if one.on_bench), None), before)


if __name__ == "__main__":
    unittest.main()
