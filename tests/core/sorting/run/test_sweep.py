import unittest
from dataclasses import replace

import numpy as np

from amber_ladder.core.sorting.run import sort_take
from tests.support.cards import Sorted, three_takes, told_apart


def off_by(one: Sorted, number: int) -> list[int]:
    """How many frames the trim of a stack lies beside what is worth keeping, at either end."""
    stack, truth = one.run.stacks[number], one.card.takes[number]
    names = one.names(stack.places)
    assert stack.trim
    off = []
    for place, bounds in zip(stack.trim, (truth.first, truth.last), strict=True):
        low, high = sorted(names.index(name) for name in bounds)
        at = names.index(one.files[place].name)
        off.append(max(low - at, at - high, 0))
    return off


class TestTrim(unittest.TestCase):
    def test_the_first_and_last_frame_worth_keeping_are_found_within_one(self) -> None:
        for one, numbers in ((three_takes(), (0, 1, 2)), (told_apart(), (0, 2, 3))):
            for number in numbers:
                with self.subTest(number=number):
                    self.assertLessEqual(max(off_by(one, number)), 1)


class TestEnds(unittest.TestCase):
    def test_an_end_that_was_not_reached_is_said(self) -> None:
        stacks = three_takes().run.stacks
        self.assertEqual([(stack.near, stack.far) for stack in stacks], [(True, True), (True, False), (True, True)])

    def test_by_hand_nobody_knows(self) -> None:
        stack = told_apart().run.stacks[1]
        self.assertEqual((stack.near, stack.far, stack.passed), (None, None, (None, None)))


class TestThin(unittest.TestCase):
    def test_frames_far_denser_than_needed_can_be_thinned(self) -> None:
        dense, usual, _ = three_takes().run.stacks
        assert dense.thin
        assert usual.thin
        self.assertGreaterEqual(dense.thin.every, 2)
        self.assertEqual(usual.thin.every, 1)

    def test_a_take_by_hand_is_not_thinned(self) -> None:
        self.assertIsNone(told_apart().run.stacks[1].thin)


class TestFocusOrder(unittest.TestCase):
    def setUp(self) -> None:
        self.one = told_apart()
        order = self.one.run.stacks[1].focus_order
        assert order
        self.order = order
        focus = {file.path: file.focus_um or 0.0 for file in self.one.card.files}
        self.focus_um = np.array([focus[self.one.files[place].name] for place in order.places])

    def test_frames_by_hand_are_ordered_by_depth_nearest_first(self) -> None:
        ranks = np.argsort(np.argsort(self.focus_um))
        self.assertTrue(self.order.from_near)
        self.assertGreater(float(np.corrcoef(ranks, np.arange(len(ranks)))[0, 1]), 0.95)

    def test_positions_are_off_by_about_what_they_say(self) -> None:
        slope, start = np.polyfit(self.order.positions, self.focus_um, 1)
        off = (self.focus_um - start) / slope - np.array(self.order.positions)
        told = np.sqrt(np.mean((off / np.array(self.order.u)) ** 2))
        self.assertTrue(0.3 < told < 2.5, told)
        self.assertLess(float(np.median(self.order.u)), 0.12)

    def test_frames_that_show_nothing_sharp_are_not_placed(self) -> None:
        stack = self.one.run.stacks[1]
        self.assertLess(len(self.order.places), len(stack.places))
        self.assertLessEqual(set(self.order.places), set(stack.places))

    def test_a_few_tiles_that_noise_lifts_do_not_place_a_frame_that_was_rocked_past_the_end(self) -> None:
        stack = self.one.run.stacks[1]
        assert stack.trim
        past = next(
            place for place in stack.places if stack.trim[0] < place < stack.trim[1] and place not in self.order.places
        )
        files = list(self.one.files)
        best = np.max([files[place].look.detail for place in self.order.places], axis=0)
        lifted = files[past].look.detail.copy()
        strongest = np.argsort(best, axis=None)[-4:]  # all of them in what is the specimen's
        lifted.ravel()[strongest] = best.ravel()[strongest]
        files[past] = replace(files[past], look=replace(files[past].look, detail=lifted))
        again = sort_take([files[place] for place in stack.places], {})
        number = stack.places.index(past)
        assert again.focus_order
        self.assertNotIn(number, again.focus_order.places)
        self.assertIn((number, "out_of_focus"), [(flag.place, flag.kind) for flag in again.flags])
        self.assertEqual(len(again.focus_order.places), len(self.order.places))

    def test_a_take_on_a_stand_needs_none(self) -> None:
        self.assertIsNone(self.one.run.stacks[0].focus_order)


class TestOrder(unittest.TestCase):
    def test_near_and_far_first_are_told(self) -> None:
        self.assertEqual([s.order for s in three_takes().run.stacks], ["near-first", "near-first", "far-first"])

    def test_what_nothing_tells_is_unknown(self) -> None:
        stack = told_apart().run.stacks[1]
        self.assertEqual((stack.order, stack.order_basis), ("unknown", "shot by hand: focus went to and fro"))
