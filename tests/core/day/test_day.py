"""The day: the fewest changes of rig, what vanishes in time, nobody called from a break, and what does not fit told."""

import itertools
import random
import unittest

from amber_ladder.core.day import Hours, Sitting, cost_s, times_of
from amber_ladder.core.day.order import best_order
from amber_ladder.errors import BadInput

LUNCH = (3 * 3600, 3 * 3600 + 2700)
HOURS = Hours(0, 8 * 3600, (LUNCH,), 900, "5×")


def made(count: int, seed: int) -> list[Sitting]:
    """Sittings on three rigs, a third of them vanishing."""
    draw = random.Random(seed)
    return [
        Sitting(
            key, draw.choice(("5×", "10×", "macro")), draw.randrange(120, 900), draw.randrange(120, 2700),
            by_hand=draw.random() < 0.3, by_s=draw.randrange(3600, 5 * 3600) if draw.random() < 0.3 else None,
        )
        for key in range(count)
    ]  # fmt: skip


class TimesOfADay(unittest.TestCase):
    def test_hands_have_their_breaks_and_a_rail_goes_on_through_them(self) -> None:
        rail = Sitting(1, "5×", set_up_s=600, shoot_s=3600)
        hours = Hours(0, 36_000, ((1200, 3000),), 900, "5×")
        (first,) = times_of([rail], hours).sittings
        self.assertEqual((first.begins_s, first.shoots_s, first.ends_s, first.changes), (0, 600, 4200, False))
        hand = Sitting(2, "5×", set_up_s=600, shoot_s=3600, by_hand=True)
        (second,) = times_of([hand], hours).sittings
        self.assertEqual((second.begins_s, second.ends_s), (3000, 7200))

    def test_another_rig_takes_its_change_and_the_first_of_an_empty_bench_does_not(self) -> None:
        two = [Sitting(1, "5×", 60, 60), Sitting(2, "10×", 60, 60)]
        times = times_of(two, Hours(0, 36_000, (), 900, None))
        self.assertEqual([one.changes for one in times.sittings], [False, True])
        self.assertEqual((times.changes, times.ends_s), (1, 1140))
        self.assertEqual(times_of(two, Hours(0, 36_000, (), 900, "10×")).changes, 2)

    def test_too_late_and_after_the_day_are_told_in_seconds(self) -> None:
        times = times_of([Sitting(1, "5×", 100, 900, by_s=700), Sitting(2, "5×", 0, 500)], Hours(0, 1200, (), 0, "5×"))
        self.assertEqual([(one.late_s, one.over_s) for one in times.sittings], [(300, 0), (0, 300)])
        self.assertEqual((times.late, times.over), (1, 1))

    def test_what_begins_after_the_day_lies_beyond_it_with_all_its_length(self) -> None:
        times = times_of([Sitting(1, "5×", 0, 500)], Hours(2000, 2000, (), 0, "5×"))
        self.assertEqual(times.sittings[0].over_s, 500)

    def test_merges_follow_in_the_background_one_after_another(self) -> None:
        two = [Sitting(1, "5×", 0, 100, merge_s=1000), Sitting(2, "5×", 0, 100, merge_s=50), Sitting(3, "5×", 0, 9)]
        told = times_of(two, Hours(0, 9000, (), 0, "5×", merging_until_s=300)).sittings
        self.assertEqual([one.merged_s for one in told], [1300, 1350, None])

    def test_hours_that_contradict_themselves_are_refused(self) -> None:
        for words, refused in (
            ("day ends before", lambda: Hours(10, 5)),
            ("breaks overlap", lambda: Hours(0, 99, ((1, 5), (4, 9)))),
            ("break ends before", lambda: Hours(0, 99, ((5, 1),))),
        ):
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                refused()


class BestOrder(unittest.TestCase):
    def test_it_is_as_good_as_the_best_of_all_orders(self) -> None:
        for seed in range(12):
            with self.subTest(seed=seed):
                sittings = made(6, seed)
                orders = [one for one in itertools.permutations(sittings) if self.fits(one)]
                found = best_order(sittings, HOURS)
                chosen = [one for key in found.keys for one in sittings if one.key == key]
                if not orders:
                    self.assertTrue(found.left_out)
                    self.assertTrue(self.fits(chosen))
                    continue
                self.assertEqual(found.left_out, ())
                self.assertAlmostEqual(cost_s(chosen, HOURS), min(cost_s(one, HOURS) for one in orders), delta=10.0)

    def test_rigs_change_as_rarely_as_they_can(self) -> None:
        mixed = [Sitting(key, rig, 300, 300) for key, rig in enumerate(("10×", "5×", "macro", "5×", "10×", "macro"))]
        found = best_order(mixed, HOURS)
        times = times_of([mixed[key] for key in found.keys], HOURS)
        self.assertEqual((times.changes, found.proven), (2, True))

    def test_what_melts_comes_in_time_even_on_another_rig(self) -> None:
        moss = [Sitting(key, "5×", 600, 1200) for key in range(4)]
        snow = Sitting(9, "10×", 300, 300, by_s=2400)
        self.assertEqual(best_order([*moss, snow], HOURS).keys[0], 9)

    def test_what_melts_has_its_place_before_what_keeps(self) -> None:
        short = Hours(0, 3600, (), 900, "5×")
        moss, snow = Sitting(1, "5×", 0, 3000), Sitting(2, "5×", 0, 3000, by_s=3500)
        found = best_order([moss, snow], short)
        self.assertEqual((found.keys, found.left_out), ((2,), (1,)))

    def test_what_can_never_be_in_time_is_left_out_and_the_rest_done(self) -> None:
        gone, moss = Sitting(1, "5×", 300, 300, by_s=-10), Sitting(2, "5×", 300, 300)
        found = best_order([gone, moss], Hours(100, 9000, (), 900, "5×"))
        self.assertEqual((found.keys, found.left_out), ((2,), (1,)))

    def test_the_same_day_gets_the_same_order(self) -> None:
        sittings = made(14, 3)
        self.assertEqual(best_order(sittings, HOURS), best_order(sittings, HOURS))

    def test_what_does_not_fit_is_ordered_for_a_longer_day(self) -> None:
        mixed = [Sitting(key, rig, 300, 300) for key, rig in enumerate(("10×", "5×", "10×", "5×"))]
        found = best_order(mixed, Hours(0, 0, (), 900, "5×"))
        self.assertEqual(found.keys, ())
        self.assertEqual([mixed[key].rig for key in found.left_out], ["5×", "5×", "10×", "10×"])

    def test_nothing_to_do_is_a_day_too(self) -> None:
        self.assertEqual(best_order([], HOURS).keys, ())
        self.assertEqual(best_order(made(3, 1), Hours(0, 0)).keys, ())

    @staticmethod
    def fits(sittings: "list[Sitting] | tuple[Sitting, ...]") -> bool:
        times = times_of(sittings, HOURS)
        return not times.late and not times.over


if __name__ == "__main__":
    unittest.main()
