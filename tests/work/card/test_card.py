"""A card brought in: kept, taken apart, changed by hand, accepted."""

import unittest
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np

from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.formats.pictures import read_picture
from amber_ladder.settings import settings
from amber_ladder.simulated.dng import RawCamera, encode_dng
from amber_ladder.simulated.jpeg import Exposed, encode_jpeg
from amber_ladder.store import stacks
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore, sha256_of
from amber_ladder.store.holdings import held
from amber_ladder.store.models import Take
from amber_ladder.work import card, deeds, plan
from amber_ladder.work.card.going import Goes
from amber_ladder.work.card.views import CardStack
from amber_ladder.work.deeds.discarding import remove_old
from amber_ladder.work.pictures import frame_thumb
from amber_ladder.work.stack.views import StackView
from tests.support.cards import LENS, Sorted, bring, brought_in, sweep, three_takes, told_apart
from tests.support.station import database
from tests.support.takes import folder_of, have_done, merged, new_stack


def names(view: card.CardView, numbers: list[int]) -> list[str]:
    """What files are called."""
    by_id = {file.id: file.name for file in view.files}
    return [by_id[number] for number in numbers]


class BroughtIn(unittest.TestCase):
    """Files arrive one by one, and are kept as they are."""

    @classmethod
    def setUpClass(cls) -> None:
        database()

    def setUp(self) -> None:
        self.number = card.begin(card.CardEntry(name=self.id())).id
        self.picture = three_takes().card.files[0].content

    def send(self, name: str, content: bytes) -> card.FileView:
        return card.add_file(self.number, name, [content[:1000], content[1000:]])

    def test_a_file_is_kept_once_under_its_path_however_often_it_is_sent(self) -> None:
        one, again = self.send("A/TH0001.JPG", self.picture), self.send("A/TH0001.JPG", self.picture)
        self.assertEqual(one.id, again.id)
        self.assertEqual(len(card.read(self.number).files), 1)

    def test_two_files_of_one_name_in_two_folders_are_two(self) -> None:
        other = three_takes().card.files[1].content
        self.send("A/TH0001.JPG", self.picture)
        self.send("B/TH0001.JPG", other)
        self.assertEqual([file.name for file in card.read(self.number).files], ["A/TH0001.JPG", "B/TH0001.JPG"])

    def test_another_picture_of_the_same_path_is_refused_and_the_first_stays(self) -> None:
        first = self.send("TH0001.JPG", self.picture)
        with self.assertRaisesRegex(Conflict, "another picture of that path"):
            self.send("TH0001.JPG", three_takes().card.files[1].content)
        self.assertEqual(card.read(self.number).files, [first])

    def test_the_same_content_is_told_to_be_known_and_stored_once(self) -> None:
        originals = settings().data / "originals"
        self.send("TH0001.JPG", self.picture)
        count = len(list(originals.glob("*/*")))
        again = self.send("copy of it.jpg", self.picture)
        self.assertRegex(again.known_as or "", "TH0001")
        self.assertEqual(len(list(originals.glob("*/*"))), count)

    def test_what_is_no_picture_is_named_with_the_reason_and_not_kept(self) -> None:
        for name, content, why in (
            ("notes.jpg", b"a text", "is no JPEG"),
            ("empty.jpg", b"", "is empty"),
            ("page.dng", b"<html>", "is no JPEG"),
        ):
            self.assertRegex(self.send(name, content).refused or "", why)
        self.assertEqual(list((settings().data / "arriving").iterdir()), [])
        with self.assertRaisesRegex(Conflict, "no picture yet"):
            card.look_at_card(self.number)

    def test_a_refused_file_may_be_sent_again_whole(self) -> None:
        self.send("TH0001.JPG", b"")
        self.assertIsNone(self.send("TH0001.JPG", self.picture).refused)
        self.assertEqual(len(card.read(self.number).files), 1)

    def test_paths_never_lead_out_of_the_card(self) -> None:
        for name in ("../secret.jpg", "a/../../b.jpg", "", "/", "a\x00b.jpg", "x" * 600, "a/" + "y" * 300 + ".jpg"):
            with self.assertRaises(BadInput, msg=name):
                self.send(name, self.picture)
        self.assertEqual(self.send("/C:\\card\\TH0001.JPG", self.picture).name, "C:/card/TH0001.JPG")

    def test_the_server_opens_no_file_that_was_not_looked_at(self) -> None:
        file = self.send("TH0001.JPG", self.picture)
        for ask in (card.thumb_of, card.picture_of):
            with self.assertRaisesRegex(NotFound, "not looked at yet"):
                ask(file.id)

    def test_originals_of_a_card_belong_to_the_station(self) -> None:
        self.send("TH0001.JPG", self.picture)
        owners = {one.owner for one in held().originals}
        self.assertTrue(any("the card" in owner for owner in owners), owners)


class TakenApart(unittest.TestCase):
    """What the files told stands in the card, by their numbers."""

    truth: Sorted
    card: card.CardView

    @classmethod
    def setUpClass(cls) -> None:
        cls.truth, cls.card = three_takes(), brought_in()

    def test_stacks_hold_the_files_of_the_takes_in_the_order_of_shooting(self) -> None:
        self.assertEqual(
            [names(self.card, one.files) for one in self.card.stacks], [self.truth.frames(take) for take in range(3)]
        )
        self.assertEqual([one.order for one in self.card.stacks], ["near-first", "near-first", "far-first"])

    def test_flags_and_what_is_left_out_are_those_of_the_check(self) -> None:
        for one, checked in zip(self.card.stacks, self.truth.run.stacks, strict=True):
            found = {(names(self.card, [flag.file])[0], flag.kind) for flag in one.flags}
            self.assertEqual(found, self.truth.flags(checked))
            left = names(self.card, [out.file for out in one.left_out])
            dark = {name for name, kind in found if kind in ("dark", "shaken", "duplicate")}
            self.assertLessEqual(dark, set(left))

    def test_ends_that_were_not_reached_and_holes_are_in_doubt(self) -> None:
        words = [" ".join(doubt.words for doubt in one.doubts) for one in self.card.stacks]
        self.assertRegex(words[1], "the far end is not reached")
        self.assertRegex(words[2], "missing before it")

    def test_thumbs_are_there_and_pictures_in_their_own_size(self) -> None:
        first = self.card.files[0]
        self.assertTrue(card.thumb_of(first.id).startswith(b"\xff\xd8"))
        kept = card.picture_of(first.id)
        assert isinstance(kept, Path)
        self.assertEqual(kept.read_bytes(), self.truth.card.files[0].content)

    def test_a_file_that_is_cut_short_is_named_and_the_rest_stands(self) -> None:
        number = card.begin(card.CardEntry(name="cut short")).id
        for at, file in enumerate(self.truth.card.files[:6]):
            card.add_file(number, file.path, [file.content[: len(file.content) // (3 if at == 2 else 1)]])
        task = card.look_at_card(number).task
        assert task is not None
        have_done(task.id)
        found = card.read(number)
        self.assertEqual([bool(file.refused) for file in found.files].count(True), 1)
        self.assertEqual(sum(len(one.files) for one in found.stacks), 5)


class ChangedByHand(unittest.TestCase):
    """A person's word goes before what the files told, and can be taken back, step by step."""

    number: int

    @classmethod
    def setUpClass(cls) -> None:
        cls.number = brought_in().id

    def setUp(self) -> None:
        self.before = card.read(self.number)

    def tearDown(self) -> None:
        while card.read(self.number).stacks != self.before.stacks:
            last = deeds.last_deed()
            assert last is not None
            deeds.undo(last.id)

    def sizes(self, view: card.CardView) -> list[int]:
        return [len(one.files) for one in view.stacks]

    def test_a_border_set_by_hand_parts_a_stack_and_removed_joins_it_again(self) -> None:
        whole = self.before.stacks[0].files
        parted = card.set_borders(self.number, card.BordersEntry(add=[whole[10]]))
        self.assertEqual(self.sizes(parted), [10, len(whole) - 10, *self.sizes(self.before)[1:]])
        self.assertTrue(next(one for one in parted.borders if one.before == whole[10]).by_hand)
        joined = card.set_borders(self.number, card.BordersEntry(remove=[whole[10]]))
        self.assertEqual(joined.stacks, self.before.stacks)

    def test_a_border_that_was_found_can_be_moved(self) -> None:
        first, second = (one.files for one in self.before.stacks[:2])
        moved = card.set_borders(self.number, card.BordersEntry(remove=[second[0]], add=[second[3]]))
        self.assertEqual(self.sizes(moved)[:2], [len(first) + 3, len(second) - 3])
        self.assertRegex((deeds.last_deed() or self.fail()).words, "border moved")

    def test_stacks_that_were_not_touched_are_not_judged_anew(self) -> None:
        whole = self.before.stacks[0].files
        parted = card.set_borders(self.number, card.BordersEntry(add=[whole[10]]))
        self.assertEqual(parted.stacks[2:], self.before.stacks[1:])

    def test_files_are_left_out_and_taken_back_and_all_of_it_undone_step_by_step(self) -> None:
        one = self.before.stacks[1]
        kept = [number for number in one.files if number not in {out.file for out in one.left_out}]
        card.leave_out(self.number, card.LeftOutEntry(files=kept[2:4], reason="a hair in it"))
        back = card.take_back(self.number, card.TakenBackEntry(files=kept[2:3]))
        by_hand = {out.file: out.reason for out in back.stacks[1].left_out if out.by_hand}
        self.assertEqual(by_hand, {kept[3]: "a hair in it"})
        for _ in range(2):
            deeds.undo((deeds.last_deed() or self.fail()).id)
        self.assertEqual(card.read(self.number).stacks, self.before.stacks)

    def test_what_was_found_can_be_overruled(self) -> None:
        one = self.before.stacks[0]
        dark = next(flag.file for flag in one.flags if flag.kind == "dark")
        back = card.take_back(self.number, card.TakenBackEntry(files=[dark]))
        self.assertNotIn(dark, {out.file for out in back.stacks[0].left_out})

    def test_a_separator_that_is_a_frame_after_all_joins_the_stack_before_it(self) -> None:
        (hand,) = self.before.separators
        back = card.take_back(self.number, card.TakenBackEntry(files=[hand]))
        self.assertEqual(back.separators, [])
        self.assertEqual(back.stacks[1].files[-1], hand)

    def test_what_is_in_doubt_about_the_stack_stays_though_its_frame_is_left_out(self) -> None:
        third = self.before.stacks[2]
        hole = next(doubt for doubt in third.doubts if "missing before it" in doubt.words)
        after = card.leave_out(self.number, card.LeftOutEntry(files=[hole.file]))
        self.assertIn(hole, after.stacks[2].doubts)
        jolted = next(doubt for doubt in self.before.stacks[0].doubts if "leapt" in doubt.words)
        after = card.leave_out(self.number, card.LeftOutEntry(files=[jolted.file]))
        self.assertNotIn(jolted, after.stacks[0].doubts)

    def test_many_frames_in_a_row_left_out_are_told_of(self) -> None:
        one = self.before.stacks[1]
        every = one.thin.every if one.thin else 1
        gone = {out.file for out in one.left_out}
        kept = [number for number in one.files if number not in gone]
        after = card.leave_out(self.number, card.LeftOutEntry(files=kept[3 : 3 + 2 * every - 1]))
        self.assertFalse(any("in a row" in doubt.words for doubt in after.stacks[1].doubts))
        after = card.leave_out(self.number, card.LeftOutEntry(files=[kept[3 + 2 * every - 1]]))
        torn = [doubt for doubt in after.stacks[1].doubts if "in a row" in doubt.words]
        self.assertEqual([doubt.file for doubt in torn], [kept[3 + 2 * every]])

    def test_files_of_another_card_are_refused(self) -> None:
        with self.assertRaises(BadInput):
            card.set_borders(self.number, card.BordersEntry(add=[10**6]))


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
