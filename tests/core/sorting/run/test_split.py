import unittest
from dataclasses import replace

from amber_ladder.core.sorting.run import sort_run
from tests.support.cards import Sorted, three_takes, told_apart


def borders(one: Sorted) -> list[tuple[str, str]]:
    """Names on either side of each border."""
    return [(one.files[border.after].name, one.files[border.before].name) for border in one.run.borders]


def reasons(one: Sorted) -> list[str]:
    return [border.reason for border in one.run.borders]


class TestUntimed(unittest.TestCase):
    def test_each_take_is_a_stack_and_the_hand_belongs_to_none(self) -> None:
        one = three_takes()
        self.assertEqual([one.names(stack.places) for stack in one.run.stacks], [one.frames(n) for n in range(3)])
        (hand,) = [file.path for file in one.card.files if file.take is None]
        self.assertEqual(one.names(one.run.separators), [hand])

    def test_a_border_says_why_it_is_one(self) -> None:
        again, hand = reasons(three_takes())
        self.assertIn("focus starts over", again)
        self.assertIn("a hand, or a blank", hand)
        self.assertIn("something else", hand)

    def test_a_border_stands_between_the_last_frame_and_the_first(self) -> None:
        one = three_takes()
        self.assertEqual(borders(one), [(one.frames(n)[-1], one.frames(n + 1)[0]) for n in range(2)])


class TestTimed(unittest.TestCase):
    def test_takes_are_told_apart_by_a_black_frame_a_pause_and_an_exposure(self) -> None:
        one = told_apart()
        self.assertEqual([one.names(stack.places) for stack in one.run.stacks], [one.frames(n) for n in range(4)])
        black, pause, exposure = reasons(one)
        self.assertIn("a black frame", black)
        self.assertIn("a pause of 4 min", pause)
        self.assertIn("exposure from 0.01 to 0.02 s", exposure)

    def test_numbers_that_wrapped_around_go_on(self) -> None:
        one = told_apart()
        names = [file.name for file in one.files]
        self.assertLess(names.index("TH9999.JPG"), names.index("TH0001.JPG"))

    def test_without_time_and_exposure_focus_that_starts_over_still_tells(self) -> None:
        one = told_apart()
        plain = [replace(file, captured_at=None, exposure=None) for file in one.files]
        found = [border.before for border in sort_run(plain).borders]
        self.assertEqual(found, [border.before for border in one.run.borders])

    def test_only_a_wandering_camera_is_by_hand(self) -> None:
        self.assertEqual([stack.by_hand for stack in told_apart().run.stacks], [False, True, False, False])

    def test_somebody_who_waits_and_goes_on_makes_no_border(self) -> None:
        one = told_apart()
        stack = one.run.stacks[0]
        middle = stack.places[len(stack.places) // 2]
        first = [one.files[place] for place in stack.places]
        later = [
            replace(file, captured_at=file.captured_at.replace(hour=12))
            if place >= middle and file.captured_at
            else file
            for place, file in zip(stack.places, first, strict=True)
        ]
        self.assertEqual(sort_run(later).borders, ())


class TestLittle(unittest.TestCase):
    def test_nothing_gives_nothing(self) -> None:
        self.assertEqual(sort_run([]).stacks, ())

    def test_a_single_file_is_a_stack_of_which_nothing_is_known(self) -> None:
        (stack,) = sort_run(three_takes().files[:1]).stacks
        self.assertEqual(
            (stack.places, stack.order, stack.trim, stack.near, stack.thin), ((0,), "unknown", None, None, None)
        )
