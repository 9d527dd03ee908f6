"""How long hands took, learnt from runs."""

import unittest

from amber_ladder.core.day import Run, learnt_from

MIN = 60.0


def runs(*told: tuple[int, int, float]) -> list[Run]:
    """Of stack and rig, each 10 min long, after a pause of so many minutes."""
    made, at = list[Run](), 0.0
    for stack, rig, pause_min in told:
        at += pause_min * MIN
        made.append(Run(stack, rig, at, at + 10 * MIN))
        at += 10 * MIN
    return made


class Learnt(unittest.TestCase):
    def test_setting_up_and_changing_the_rig_are_told_apart(self) -> None:
        told = learnt_from(
            runs((1, 1, 0), (2, 1, 6), (3, 1, 8), (4, 2, 20), (5, 2, 7), (6, 1, 23), (7, 1, 7), (8, 2, 17))
        )
        assert told.set_up is not None
        assert told.change is not None
        self.assertEqual((told.set_up.median, told.set_up.n), (7 * MIN, 4))
        self.assertEqual((told.change.median, told.change.n), (13 * MIN, 3))

    def test_what_was_no_setting_up_does_not_count(self) -> None:
        told = learnt_from(
            runs(
                (1, 1, 0), (2, 1, 5), (2, 1, 1), (3, 1, 5), (4, 1, 120), (5, 1, 5),  # again, and after lunch
                (6, 1, 0.1), (7, 1, 0.2), (8, 1, 0.1),  # one straight after the other: a script
            )
        )  # fmt: skip
        assert told.set_up is not None
        self.assertEqual((told.set_up.median, told.set_up.high, told.set_up.n), (5 * MIN, 5 * MIN, 3))
        self.assertIsNone(told.change)

    def test_too_few_tell_nothing_and_a_quick_change_is_none(self) -> None:
        few = learnt_from(runs((1, 1, 0), (2, 1, 5), (3, 2, 9), (4, 1, 9), (5, 2, 9)))
        self.assertEqual((few.set_up, few.change), (None, None))
        quick = learnt_from(runs((1, 1, 0), (2, 1, 5), (3, 1, 5), (4, 1, 5), (5, 2, 4), (6, 1, 4), (7, 2, 4)))
        assert quick.change is not None
        self.assertEqual(quick.change.median, 0.0)
        # In whichever order they come.
        mixed = runs((1, 1, 0), (2, 1, 5), (3, 1, 5), (4, 1, 5))
        self.assertEqual(learnt_from(mixed[::-1]), learnt_from(mixed))


if __name__ == "__main__":
    unittest.main()
