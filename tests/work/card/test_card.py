"""A card brought in: kept, taken apart, changed by hand."""

import unittest
from pathlib import Path

from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.settings import settings
from amber_ladder.store.holdings import held
from amber_ladder.work import card, deeds
from tests.support.cards import Sorted, brought_in, names, three_takes
from tests.support.station import database
from tests.support.takes import have_done


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
