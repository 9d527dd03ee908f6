"""Stacks of a card that are accepted: where they go, and what goes with them."""

import unittest
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.formats.pictures import read_picture
from amber_ladder.settings import settings
from amber_ladder.simulated.dng import RawCamera, encode_dng
from amber_ladder.simulated.jpeg import Exposed, encode_jpeg
from amber_ladder.store import stacks
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore, sha256_of
from amber_ladder.store.models import Take
from amber_ladder.work import card, deeds, plan
from amber_ladder.work.card.going import Goes
from amber_ladder.work.card.views import CardStack
from amber_ladder.work.deeds.discarding import remove_old
from amber_ladder.work.pictures import frame_thumb
from amber_ladder.work.stack.views import StackView
from tests.support.cards import LENS, bring, brought_in, names, sweep, three_takes, told_apart
from tests.support.station import database
from tests.support.takes import folder_of, have_done, merged, new_stack


class Accepted(unittest.TestCase):
    """A stack becomes a take of a planned ladder: what is known goes with it, and nothing else."""

    number: int

    @classmethod
    def setUpClass(cls) -> None:
        cls.number = brought_in().id

    def setUp(self) -> None:
        self.third: CardStack = card.read(self.number).stacks[2]

    def planned(self, number: str, rungs: int, **rig: object) -> StackView:
        """A stack of so many rungs, on a rig with these changes."""
        step_um = new_stack(f"{number} tried", spare_rungs=0).ladder.step_um
        return new_stack(number, rig=rig, far_um=step_um * (rungs - 1), spare_rungs=0)

    def accept(self, one: CardStack, stack: StackView) -> StackView:
        card.set_goes(self.number, one.first, card.GoesEntry(stack_id=stack.id))
        view = card.accept(self.number, card.AcceptEntry(stacks=[one.first]))
        accepted = next(s.accepted for s in view.stacks if s.first == one.first)
        assert accepted is not None
        self.addCleanup(card.set_goes, self.number, one.first, card.GoesEntry(stack_id=None))
        self.addCleanup(self.discard, accepted.take_id)
        return plan.read_stack(stack.id)

    def discard(self, take_id: int) -> None:
        deeds.discard(deeds.DiscardEntry(kind="take", id=take_id, why="end of the test"))

    def test_nobody_has_said_where_it_goes(self) -> None:
        with self.assertRaisesRegex(Conflict, "nobody has said where"):
            card.accept(self.number, card.AcceptEntry(stacks=[self.third.first]))

    def test_a_stack_shot_farthest_first_stands_nearest_first_and_its_positions_are_unknown(self) -> None:
        stack = self.accept(self.third, self.planned("CARD-1", 7))
        (take,) = stack.takes
        told = names(card.read(self.number), self.third.files)
        self.assertEqual([frame.name for frame in take.frames], list(reversed(told)))
        self.assertEqual({frame.planned_um for frame in take.frames}, {None})
        self.assertIsNone(take.series.depth_from)
        self.assertIn("though shot farthest first", take.series.order_said)
        self.assertEqual(sum(frame.left_out is not None for frame in take.frames), len(self.third.left_out))

    def test_frames_are_the_originals_with_their_faults(self) -> None:
        first = card.read(self.number).stacks[0]
        stack = self.accept(first, self.planned("CARD-2", 7))
        store = FrameStore(settings().data)
        for frame in stack.takes[0].frames:
            suffix = Path(frame.name).suffix.lower()
            self.assertEqual(sha256_of(store.original(frame.sha256, suffix)), frame.sha256)
        kinds = {fault["kind"] for frame in stack.takes[0].frames for fault in frame.faults}
        self.assertLessEqual({"dark", "shaken", "bright"}, kinds)

    def test_what_was_accepted_is_changed_in_the_stack_not_here_until_its_take_is_discarded(self) -> None:
        second = card.read(self.number).stacks[1]
        stack = self.accept(second, self.planned("CARD-3", 7))
        with self.assertRaisesRegex(Conflict, "take 1 of CARD-3"):
            card.leave_out(self.number, card.LeftOutEntry(files=second.files[:1]))
        with self.assertRaisesRegex(Conflict, "take 1 of CARD-3"):
            card.set_borders(self.number, card.BordersEntry(remove=[second.first]))
        self.assertEqual(len(card.accept(self.number, card.AcceptEntry(stacks=[second.first])).stacks), 3)
        self.assertEqual(len(plan.read_stack(stack.id).takes), 1)

    def test_what_an_accepted_stack_stands_on_is_not_undone(self) -> None:
        second = card.read(self.number).stacks[1]
        card.leave_out(self.number, card.LeftOutEntry(files=[second.files[8]]))
        left = deeds.last_deed()
        assert left is not None
        self.addCleanup(card.take_back, self.number, card.TakenBackEntry(files=[second.files[8]]))
        self.accept(card.read(self.number).stacks[1], self.planned("CARD-8", 7))
        with self.assertRaisesRegex(Conflict, "changed again since|take 1 of CARD-8"):
            deeds.undo(left.id)

    def test_on_a_ladder_of_as_many_rungs_frames_lie_where_they_were_planned(self) -> None:
        second = card.read(self.number).stacks[1]
        stack = self.planned("CARD-4", len(second.files))
        self.assertEqual(stack.ladder.frames, len(second.files))
        (take,) = self.accept(second, stack).takes
        self.assertEqual([frame.planned_um for frame in take.frames], stack.ladder.positions_um)
        self.assertEqual(take.series.depth_from, "planned")
        self.assertIn("taken to be one for each planned rung", take.series.order_said)

    def test_files_take_the_rungs_that_a_key_said_were_shot(self) -> None:
        second = card.read(self.number).stacks[1]
        count = len(second.files)
        stack = self.planned("CARD-9", count + 3)
        # The first rung was left out, the last one shot twice, and the one after the first called last.
        rungs = [*range(2, count), count - 1, 1]
        pressed = [{"rung": rung, "at": "2026-11-29T10:00:00", "read_um": None} for rung in rungs]
        with transaction() as session:
            run = {"positions_um": stack.ladder.positions_um, "pressed": pressed}
            stacks.add_take(session, stacks.get_stack(session, stack.id), Take(source="bench", run=run))
        take = self.accept(second, stack).takes[-1]
        planned = [stack.ladder.positions_um[rung] for rung in rungs]
        self.assertEqual(
            [(frame.rung, frame.planned_um) for frame in take.frames], list(zip(rungs, planned, strict=True))
        )
        self.assertEqual([n for n, frame in enumerate(take.frames) if frame.left_out == "shot again"], [count - 3])
        self.assertIn("by the rungs that take 1 called", take.series.order_said)

    def test_with_a_hole_nothing_is_taken_for_a_rung_though_numbers_agree(self) -> None:
        stack = self.planned("CARD-5", len(self.third.files))
        (take,) = self.accept(self.third, stack).takes
        self.assertEqual({frame.planned_um for frame in take.frames}, {None})

    def test_the_one_ladder_that_waits_with_as_many_rungs_and_frames_of_that_size_is_proposed(self) -> None:
        second = card.read(self.number).stacks[1]
        sensor = {"width_px": LENS.width_px, "height_px": LENS.height_px, "pixel_um": 5.0}
        self.assertIsNone(second.goes)
        one = self.planned("CARD-6", len(second.files), sensor=sensor)
        proposed = card.read(self.number).stacks[1].goes
        assert proposed is not None
        self.assertEqual(proposed.stack_id, one.id)
        self.assertRegex(proposed.why or "", "waits for its first take")
        self.planned("CARD-7", len(second.files), sensor=sensor)
        self.assertIsNone(card.read(self.number).stacks[1].goes)

    def test_a_card_that_is_thrown_away_for_good_leaves_what_takes_stand_on(self) -> None:
        files = three_takes().card.files
        number = card.begin(card.CardEntry(name="thrown away")).id
        own = card.add_file(number, "own.jpg", [files[0].content + b" "])
        card.add_file(number, files[0].path, [files[0].content])
        deeds.discard(deeds.DiscardEntry(kind="card", id=number, why="brought by mistake"))
        with self.assertRaises(NotFound):
            card.read(number)
        remove_old(now() + timedelta(days=31))
        with self.assertRaises(NotFound):
            card.thumb_of(own.id)
        contents = {path.read_bytes() for path in (settings().data / "originals").glob("*/*")}
        self.assertIn(files[0].content, contents)
        self.assertNotIn(files[0].content + b" ", contents)


class ByHand(unittest.TestCase):
    """A burst rocked through focus goes to its take in the order of focus, with how sure that is."""

    def test_frames_stand_in_the_order_of_focus_and_no_depth_is_made_up(self) -> None:
        database()
        truth = told_apart()
        view = bring(truth.card, "by hand")
        one = next(stack for stack in view.stacks if stack.by_hand)
        stack = new_stack("HAND-1")
        card.set_goes(view.id, one.first, card.GoesEntry(stack_id=stack.id))
        card.accept(view.id, card.AcceptEntry(stacks=[one.first]))
        (take,) = plan.read_stack(stack.id).takes
        at_um = {file.path.rpartition("/")[2]: file.focus_um for file in truth.card.files}
        kept = [at_um[frame.name] or 0.0 for frame in take.frames if frame.left_out is None]
        ranks = np.argsort(np.argsort(kept))
        self.assertGreater(abs(float(np.corrcoef(ranks, np.arange(len(kept)))[0, 1])), 0.9)
        self.assertIn("In the order of focus", take.series.order_said)
        self.assertIsNone(take.series.depth_from)


class Alike(unittest.TestCase):
    """Of ladders with as many rungs, what the camera noted tells which one was shot."""

    number: int
    SHOT = datetime(2026, 5, 6, 10, 30)

    @classmethod
    def setUpClass(cls) -> None:
        database()
        cls.number = card.begin(card.CardEntry(name="alike")).id
        for at, frame in enumerate(sweep(9)):
            picture = np.asarray(255 * frame ** (1 / 2.2), np.uint8)
            shot_at = cls.SHOT + timedelta(seconds=2 * at)
            content = encode_jpeg(picture, captured_at=shot_at, exposed=Exposed(0.01, 5.6, 100))
            card.add_file(cls.number, f"TH{at:04d}.JPG", [content])
        task = card.look_at_card(cls.number).task
        assert task is not None
        have_done(task.id)

    def ladder(self, name: str, f_number: float, planned_at: datetime) -> int:
        train = {"kind": "lens", "magnification": 4.0, "f_number": f_number}
        sensor = {"width_px": 384, "height_px": 256, "pixel_um": 5.0}
        step_um = new_stack(f"{name} tried", rig={"train": train, "sensor": sensor}, spare_rungs=0).ladder.step_um
        far_um = 8 * step_um
        stack = new_stack(name, rig={"train": train, "sensor": sensor}, far_um=far_um, spare_rungs=0)
        self.assertEqual(stack.ladder.frames, 9)
        with transaction() as session:
            stacks.get_stack(session, stack.id).created_at = planned_at.astimezone()
        self.addCleanup(deeds.discard, deeds.DiscardEntry(kind="stack", id=stack.id, why="end of the test"))
        return stack.id

    def goes(self) -> Goes | None:
        (one,) = card.read(self.number).stacks
        self.assertEqual(len(one.files), 9)
        return one.goes

    def test_the_one_whose_lens_is_set_as_the_camera_noted(self) -> None:
        before = self.SHOT - timedelta(hours=1)
        self.ladder("ALIKE-1", 4.0, before)
        right = self.ladder("ALIKE-2", 5.657, before)
        goes = self.goes()
        assert goes is not None
        self.assertEqual(goes.stack_id, right)
        self.assertRegex(goes.why or "", "is set to f/5.6")

    def test_the_one_that_was_planned_that_day_before_it_was_shot(self) -> None:
        self.ladder("ALIKE-3", 5.6, self.SHOT - timedelta(days=1))
        self.ladder("ALIKE-4", 5.6, self.SHOT + timedelta(minutes=20))
        right = self.ladder("ALIKE-5", 5.6, self.SHOT - timedelta(minutes=20))
        goes = self.goes()
        assert goes is not None
        self.assertEqual(goes.stack_id, right)
        self.assertRegex(goes.why or "", "planned on the day it was shot, before")

    def test_none_where_two_of_that_day_fit(self) -> None:
        for number in (6, 7):
            self.ladder(f"ALIKE-{number}", 5.6, self.SHOT - timedelta(minutes=20))
        self.assertIsNone(self.goes())


class Raw(unittest.TestCase):
    """Camera raw is kept, looked at, and merged from its development."""

    def test_from_the_card_to_a_composite_of_16_bits(self) -> None:
        database()
        number = card.begin(card.CardEntry(name="raw")).id
        for at, content in enumerate(raw_frames(8)):
            card.add_file(number, f"R{at:04d}.DNG", [content])
        task = card.look_at_card(number).task
        assert task is not None
        have_done(task.id)
        view = card.read(number)
        (one,) = view.stacks
        self.assertEqual((view.files[0].width_px, view.files[0].height_px), (384, 256))
        self.assertTrue(bytes(card.picture_of(one.first)).startswith(b"\xff\xd8"))
        for out in one.left_out:
            card.take_back(number, card.TakenBackEntry(files=[out.file]))
        stack = new_stack("RAW-1")
        card.set_goes(number, one.first, card.GoesEntry(stack_id=stack.id))
        accepted = card.accept(number, card.AcceptEntry(stacks=[one.first])).stacks[0].accepted
        assert accepted is not None
        (take,) = plan.read_stack(stack.id).takes
        self.assertEqual({frame.bits for frame in take.frames}, {16})
        self.assertTrue(frame_thumb(take.frames[0].id).startswith(b"\xff\xd8"))
        done = merged(take.id)
        self.assertEqual(read_picture(folder_of(done) / "composite.tif").dtype, np.uint16)


def raw_frames(count: int) -> Iterator[bytes]:
    """A focus sweep over a texture, as DNG."""
    for light in sweep(count):
        yield encode_dng(light, RawCamera())


if __name__ == "__main__":
    unittest.main()
