"""What worked before: on a made station of 300 stacks with a known rule, proposals come out right."""

import random
import unittest
from dataclasses import replace

from amber_ladder.core.planning import Case, worked_before

DEPTHS_UM = {"moss": 550.0, "lacewing": 900.0, "garnet": 320.0}
RIGS = {"5×": 5.0, "5× on bellows": 5.6, "10×": 10.0, "2:1": 2.0}


def station(count: int = 300) -> list[Case]:
    """Depths are the kind's own ± 12 %; a step too large gives findings; one frame of four carries nothing."""
    draw, made = random.Random(11), []
    for number in range(count):
        kind, (rig, magnification) = draw.choice(list(DEPTHS_UM)), draw.choice(list(RIGS.items()))
        overlap = draw.uniform(-0.2, 0.6)
        made.append(
            Case(number, kind, rig, magnification, DEPTHS_UM[kind] * draw.gauss(1.0, 0.12), overlap,
                 0 if overlap > 0.25 else 3, 40, 30, draw.uniform(100, 200),
                 None if number % 7 == 0 else 1 if kind == "moss" else 3,
                 None if number % 5 == 0 else f"flash at {'1/8' if rig == '10×' else '1/16'}",
                 50.0 * (1.0 - overlap))
        )  # fmt: skip
    return made


class Before(unittest.TestCase):
    def test_depth_comes_out_within_ten_percent(self) -> None:
        cases = station()
        for kind, depth_um in DEPTHS_UM.items():
            for rig, magnification in RIGS.items():
                told = worked_before(cases, kind=kind, rig=rig, magnification=magnification)
                with self.subTest(f"{kind} on {rig}"):
                    assert told.depth_um is not None
                    self.assertEqual(told.basis, "same kind and rig")
                    self.assertAlmostEqual(told.depth_um.median, depth_um, delta=0.1 * depth_um)
                    self.assertLess(told.depth_um.low, told.depth_um.median)
                    self.assertEqual(told.depth_um.n, len(told.stacks))

    def test_overlap_is_that_of_cases_without_findings(self) -> None:
        told = worked_before(station(), kind="moss", rig="5×", magnification=5.0)
        assert told.overlap is not None
        assert told.idle is not None
        assert told.step_um is not None
        self.assertLess(told.step_um.high, 50.0 * 0.75)
        self.assertGreater(told.overlap.low, 0.25)
        self.assertAlmostEqual(told.idle.median, 0.25)

    def test_spare_rungs_and_light_are_those_of_cases_that_tell_them(self) -> None:
        moss, garnet = (
            worked_before(station(), kind=kind, rig="10×", magnification=10.0) for kind in ("moss", "garnet")
        )
        assert moss.spare is not None
        assert garnet.spare is not None
        self.assertEqual((moss.spare.median, moss.spare.high, garnet.spare.median), (1.0, 1.0, 3.0))
        self.assertLess(moss.spare.n, len(moss.stacks))
        self.assertEqual([one.words for one in moss.lights], ["flash at 1/8"])
        self.assertLess(moss.lights[0].n, len(moss.stacks))
        mixed = [
            Case(n, "moss", "5×", 5.0, 500.0, None, None, None, None, None, light=f"lamp {n % 3 > 0}") for n in range(9)
        ]
        told = worked_before(mixed, kind="moss", rig="5×", magnification=5.0)
        self.assertEqual([(one.words, one.n) for one in told.lights], [("lamp True", 6), ("lamp False", 3)])
        dark = worked_before(
            mixed[:2] + [replace(one, light=None) for one in mixed[2:]], kind="moss", rig="5×", magnification=5.0
        )
        self.assertEqual((len(dark.stacks), dark.lights, dark.spare), (9, (), None))

    def test_rigs_like_it_serve_where_this_one_has_too_few(self) -> None:
        told = worked_before(station(), kind="moss", rig="a new one", magnification=5.3)
        self.assertEqual((told.basis, told.too_few), ("same kind, like magnification", False))
        assert told.depth_um is not None
        self.assertAlmostEqual(told.depth_um.median, 550, delta=55)

    def test_with_too_few_the_nearest_are_shown_and_nothing_is_proposed(self) -> None:
        told = worked_before(station(), kind="moss", rig="20×", magnification=20.0)
        self.assertEqual((told.too_few, told.depth_um, told.overlap), (True, None, None))
        ten = {one.stack_id for one in station() if one.rig == "10×" and one.kind == "moss"}
        self.assertTrue(set(told.stacks) <= ten)
        nothing = worked_before(station(), kind="graupel", rig="5×", magnification=5.0)
        self.assertEqual((nothing.too_few, nothing.stacks), (True, ()))

    def test_what_nobody_knows_counts_for_nothing(self) -> None:
        unknown = [Case(n, "moss", "5×", 5.0, None, None, None, None, None, None) for n in range(9)]
        self.assertTrue(worked_before(unknown, kind="moss", rig="5×", magnification=5.0).too_few)
        known = [Case(n, "moss", "5×", 5.0, 500.0, None, None, None, None, None) for n in range(3)]
        told = worked_before([*unknown, *known], kind="moss", rig="5×", magnification=5.0)
        self.assertEqual((len(told.stacks), told.overlap, told.idle, told.seconds), (3, None, None, None))
