import unittest

from amber_ladder.simulated.card import Lens, Light, Mishap
from tests.support.cards import LENS, Sorted, take, three_takes, told_apart


class TestMishaps(unittest.TestCase):
    def test_each_mishap_is_flagged_and_nothing_else(self) -> None:
        one = three_takes()
        true = one.true_flags(0)
        self.assertEqual(
            {kind for _, kind in true}, {"dark", "bright", "shaken", "jolted", "duplicate", "out_of_focus", "odd_size"}
        )
        self.assertEqual(one.flags(one.run.stacks[0]), true)

    def test_takes_in_which_nothing_went_wrong_have_no_flag(self) -> None:
        for one, numbers in ((three_takes(), (1, 2)), (told_apart(), (0, 2, 3))):
            for number in numbers:
                with self.subTest(number=number):
                    self.assertEqual(one.flags(one.run.stacks[number]), one.true_flags(number))

    def test_by_hand_frames_rocked_past_the_ends_are_out_of_focus(self) -> None:
        one = told_apart()
        unsure = {(file.path, kind) for file in one.card.files for kind in file.unsure}
        true, found = one.true_flags(1) - unsure, one.flags(one.run.stacks[1]) - unsure
        self.assertGreater(len(true), 3)
        self.assertLessEqual(found, true)
        self.assertGreaterEqual(len(found), 0.8 * len(true))

    def test_light_is_told_in_stops(self) -> None:
        self.assertAlmostEqual(three_takes().flag("dark").figure, -3.0, delta=0.4)
        self.assertAlmostEqual(three_takes().flag("bright").figure, 1.4, delta=0.25)

    def test_a_jolt_is_told_in_pixels(self) -> None:
        self.assertAlmostEqual(three_takes().flag("jolted").figure, 20.0, delta=1.5)

    def test_a_smear_is_told_along_its_direction_and_not_too_long(self) -> None:
        flag = three_takes().flag("shaken")
        self.assertTrue(1.0 < flag.figure < 10.0, flag)
        self.assertRegex(flag.reason, r"along (0|22)°")

    def test_the_same_file_twice_is_named(self) -> None:
        one = three_takes()
        flag = one.flag("duplicate")
        self.assertIn(one.files[flag.place - 1].name, flag.reason)

    def test_focus_that_did_not_move_is_told_in_noise_and_from_steps_that_show_little(self) -> None:
        for specimen in ("jewel-wasp", "springtail"):
            with self.subTest(specimen):
                twice = tuple((place, Mishap("duplicate")) for place in (0.3, 0.7))
                one = Sorted([take(specimen, step=0.3, light=Light(-0.8, 0.35, 4000.0), mishaps=twice)])
                self.assertEqual(one.flags(one.run.stacks[0]), one.true_flags(0))
                self.assertEqual(len(one.true_flags(0)), 1)


class TestMoved(unittest.TestCase):
    def test_a_part_that_moved_is_boxed(self) -> None:
        one = Sorted([take("graupel", mishaps=((0.6, Mishap("moved", 18.0)),))])
        self.assertEqual(one.flags(one.run.stacks[0]), one.true_flags(0))
        box = one.flag("moved").box
        assert box is not None
        self.assertTrue(box[0] >= 0.0 and box[0] + box[2] <= 1.0 and box[1] >= 0.0 and box[1] + box[3] <= 1.0, box)
        self.assertLess(box[2] * box[3], 0.9)

    def test_a_thin_antenna_that_swung_by_a_few_pixels_is_told_in_noise(self) -> None:
        one = Sorted([take("jewel-wasp", light=Light(-0.1, 0.15, 12000.0), lens=Lens(640, 480, 3.0, 0.09), step=0.6,
                           mishaps=((0.6, Mishap("moved", 12.5)),))])  # fmt: skip
        self.assertEqual(one.flags(one.run.stacks[0]), one.true_flags(0))
        box = one.flag("moved").box
        assert box is not None
        self.assertLess(box[2] * box[3], 0.3)

    def test_clipped_frames_are_told_by_their_share(self) -> None:
        one = Sorted([take("graupel", step=1.5, light=Light(1.5))])
        (stack,) = one.run.stacks
        self.assertEqual(one.flags(stack), one.true_flags(0))
        self.assertGreater(len(stack.flags), 5)
        self.assertTrue(all(flag.figure > 1.0 and flag.unit == "%" for flag in stack.flags))


class TestHoles(unittest.TestCase):
    def test_a_hole_is_named_with_the_number_of_missing_frames(self) -> None:
        one = three_takes()
        (hole,) = one.run.stacks[2].holes
        (true,) = one.card.takes[2].gaps
        self.assertEqual((one.files[hole.after].name, one.files[hole.before].name), true[:2])
        self.assertAlmostEqual(hole.missing, true[2], delta=1)
        self.assertEqual([one.run.stacks[n].holes for n in (0, 1)], [(), ()])

    def test_holes_are_found_where_little_of_the_picture_changes_and_where_others_change_as_much(self) -> None:
        for specimen, place in (("wulfenite", 0.32), ("jewel-wasp", 0.68), ("fluorite", 0.68)):
            with self.subTest(specimen):
                one = Sorted([take(specimen, step=0.75, hole=(place, 3), light=Light(-0.3, 0.15, 12000.0))])
                (hole,) = one.run.stacks[0].holes
                (true,) = one.card.takes[0].gaps
                self.assertEqual((one.files[hole.after].name, one.files[hole.before].name), true[:2])
                self.assertAlmostEqual(hole.missing, true[2], delta=1)

    def test_frames_are_counted_at_their_own_size(self) -> None:
        self.assertEqual(three_takes().files[0].width_px, LENS.width_px)
