import unittest
from collections.abc import Sequence
from dataclasses import replace

from amber_ladder.core.sorting.run import SeenFile, sort_run
from amber_ladder.simulated.card import Ways
from tests.support.cards import Sorted, take, three_takes, told_apart


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


def noted(one: Sorted, focus_m: Sequence[float | None]) -> list[SeenFile]:
    """The same files, with these distances as the camera's notes."""
    return [replace(file, focus_m=focus) for file, focus in zip(one.files, focus_m, strict=True)]


class TestFocusThatTheCameraNoted(unittest.TestCase):
    def test_it_tells_the_order_whatever_the_lens_breathes(self) -> None:
        one = Sorted([take("garnet", focus_noted=True), take("garnet", separator="focus", focus_noted=True, far_first=True)],
                     Ways())  # fmt: skip
        first, second = one.run.stacks
        self.assertEqual((first.order, second.order), ("near-first", "far-first"))
        self.assertRegex(first.order_basis, r"the camera noted its focus from 0\.\d+ to 0\.\d+ m")
        lying = noted(one, [None if file.focus_m is None else 1.0 - file.focus_m for file in one.files])
        self.assertEqual([stack.order for stack in sort_run(lying).stacks], ["far-first", "near-first"])

    def test_that_went_to_and_fro_or_is_the_same_for_all_tells_nothing(self) -> None:
        one = three_takes()
        known = [(stack.order, stack.order_basis) for stack in one.run.stacks]
        for focus_m in ([0.2] * len(one.files), [0.2 + 0.001 * (at % 2) for at in range(len(one.files))]):
            told = sort_run(noted(one, focus_m))
            self.assertEqual([(stack.order, stack.order_basis) for stack in told.stacks], known)
            self.assertEqual(told.borders, one.run.borders)

    def test_where_it_leaps_back_another_take_begins(self) -> None:
        one = told_apart()
        stack = one.run.stacks[0]
        files = [one.files[place] for place in stack.places]
        half = len(files) // 2
        again = [replace(file, focus_m=0.3 - 1e-4 * (at % half)) for at, file in enumerate(files)]
        border = next(border for border in sort_run(again).borders if border.before == half)
        self.assertEqual(
            border.reason, f"focus starts over: the camera noted {0.3 - 1e-4 * (half - 1):.6g} m, then 0.3 m"
        )

    def test_that_goes_on_behind_a_hole_is_no_border(self) -> None:
        one = told_apart()
        files = [one.files[place] for place in one.run.stacks[0].places]
        half = len(files) // 2
        on = [replace(file, focus_m=0.3 - 1e-4 * (at + 5 * (at >= half))) for at, file in enumerate(files)]
        self.assertEqual(sort_run(on).borders, ())


class TestLittle(unittest.TestCase):
    def test_nothing_gives_nothing(self) -> None:
        self.assertEqual(sort_run([]).stacks, ())

    def test_a_single_file_is_a_stack_of_which_nothing_is_known(self) -> None:
        (stack,) = sort_run(three_takes().files[:1]).stacks
        self.assertEqual(
            (stack.places, stack.order, stack.trim, stack.near, stack.thin), ((0,), "unknown", None, None, None)
        )
