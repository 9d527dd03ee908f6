import unittest

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


class TestOrder(unittest.TestCase):
    def test_near_and_far_first_are_told(self) -> None:
        self.assertEqual([s.order for s in three_takes().run.stacks], ["near-first", "near-first", "far-first"])

    def test_what_nothing_tells_is_unknown(self) -> None:
        stack = told_apart().run.stacks[1]
        self.assertEqual((stack.order, stack.order_basis), ("unknown", "shot by hand: focus went to and fro"))
