"""Sharpness for a use, by hand, what will not wait, other ways, framing, turning, cautions: known answers."""

import unittest
from math import log, radians, tan

import numpy as np

from amber_ladder.core.optics import InfinityObjective, Lens, Measured, Rig, Sensor, Subject, resolve
from amber_ladder.core.planning import (
    DEFER,
    Circle,
    Circumstances,
    Pixels,
    Print,
    Rail,
    Screen,
    Timing,
    Wanted,
    Wave,
    cautions_for,
    circle_um,
    is_it_worth_it,
    loose_framing,
    other_ways,
    plan_by_hand,
    plan_ladder,
    sharp_depth_um,
    single_frame_na,
    time_to_shrink,
    turning,
)
from amber_ladder.errors import BadInput

SENSOR = Sensor(6000, 4000, 3.76)
LENS = Rig(SENSOR, Lens(5.6, 1, 1))
FIVE = Rig(SENSOR, InfinityObjective(5, 0.14, 200, 200))


class SharpnessForAUse(unittest.TestCase):
    def test_circles(self) -> None:
        for use, wanted in (
            (Pixels(2), 7.52),
            (Screen(1920), 6000 / 1920 * 3.76),
            (Screen(9000), 3.76),
            (Print(300, 400), 400 * tan(radians(1 / 60)) / 300 * 6000 * 3.76),
            (Circle(30), 30.0),
        ):
            self.assertAlmostEqual(circle_um(LENS, use) or 0, wanted, places=6)
        self.assertIsNone(circle_um(LENS, Wave()))

    def test_depth_by_circle_is_the_worked_value(self) -> None:
        self.assertAlmostEqual(sharp_depth_um(LENS, resolve(LENS), Circle(30)), 672, delta=0.1)
        self.assertAlmostEqual(sharp_depth_um(LENS, resolve(LENS), Wave()), 360.2, delta=0.2)


class ByHand(unittest.TestCase):
    def test_frames_for_99_percent(self) -> None:
        plan = plan_by_hand(depth_um=500, sharp_um=33.4, frames_per_second=10, sweep_um_per_s=400)
        self.assertEqual(plan.frames, int(np.ceil(log(0.01) / log(1 - 33.4 / 500))))
        self.assertAlmostEqual(plan.hold_s, plan.frames / 10)
        self.assertEqual(plan.sweeps, int(np.ceil(plan.hold_s * 400 / 500)))
        self.assertEqual(plan.step_um, 40)

    def test_that_many_frames_at_random_do_cover(self) -> None:
        plan = plan_by_hand(depth_um=500, sharp_um=33.4, frames_per_second=10, sweep_um_per_s=400)
        random = np.random.default_rng(1)
        # A point is sharp where a frame lands within half the depth of it; the sweep passes the ends.
        hit = (np.abs(random.uniform(0, 500, (4000, plan.frames)) - 250) <= 33.4 / 2).any(axis=1)
        self.assertAlmostEqual(float(np.mean(hit)), 0.99, delta=0.006)

    def test_all_sharp_at_once_needs_one_frame(self) -> None:
        self.assertEqual(plan_by_hand(depth_um=10, sharp_um=33, frames_per_second=5, sweep_um_per_s=10).frames, 1)


class WillNotWait(unittest.TestCase):
    def test_drier_and_warmer_air_leaves_less_time(self) -> None:
        def at(celsius: float, humidity: float) -> float:
            seconds = time_to_shrink(air_celsius=celsius, humidity=humidity, size_um=1000, allowed_um=10).seconds
            assert seconds is not None
            return seconds

        self.assertLess(at(-5, 0.5), at(-5, 0.8))
        self.assertLess(at(-5, 0.5), at(-15, 0.5))
        self.assertLess(at(4, 0.9), at(-5, 0.5))
        # r dr/dt of a ball at −5 °C and 50 % is about 20 µm²/s by hand from the source: 10 µm off 1 mm take four minutes.
        self.assertAlmostEqual(at(-5, 0.5), 240, delta=24)

    def test_saturated_cold_air_keeps_it(self) -> None:
        self.assertEqual(time_to_shrink(air_celsius=-10, humidity=1, size_um=500, allowed_um=5).how, "keeps")
        self.assertEqual(time_to_shrink(air_celsius=3, humidity=1, size_um=500, allowed_um=5).how, "melts")

    def test_a_crystal_half_as_large_goes_about_twice_as_fast(self) -> None:
        whole = time_to_shrink(air_celsius=-8, humidity=0.6, size_um=1000, allowed_um=5).seconds or 0
        half = time_to_shrink(air_celsius=-8, humidity=0.6, size_um=500, allowed_um=5).seconds or 0
        self.assertAlmostEqual(whole / half, 2, delta=0.05)

    def test_nonsense_is_refused(self) -> None:
        with self.assertRaises(BadInput):
            time_to_shrink(air_celsius=-8, humidity=0.6, size_um=100, allowed_um=60)


class OtherWays(unittest.TestCase):
    RIGS = (FIVE, Rig(SENSOR, Lens(2.8, 2, 1.3)), Rig(SENSOR, InfinityObjective(10, 0.28, 200, 200)))

    def ways(self, **more: object) -> list:
        wanted = Wanted(near_um=0, sharp_um=0, far_um=700, overlap=0.3)
        timing = Timing(2, 0.2, 3)
        return list(other_ways(self.RIGS, wanted, rail=Rail(2.5), timing=timing, bytes_per_frame=10, **more))  # type: ignore[arg-type]

    def test_each_row_is_that_rigs_own_plan(self) -> None:
        for way in self.ways():
            optics = resolve(way.rig)
            self.assertAlmostEqual(way.detail_um, optics.detail_um)
            if not way.single_frame:
                wanted = Wanted(near_um=0, sharp_um=optics.sharp_depth_um.total, far_um=700, overlap=0.3)
                self.assertEqual(way.frames, plan_ladder(optics, wanted, rail=Rail(2.5)).frames)

    def test_finest_first_and_single_frames_last(self) -> None:
        ways = self.ways()
        stacks = [way.detail_um for way in ways if not way.single_frame]
        self.assertEqual(stacks, sorted(stacks))
        self.assertTrue(ways[-1].single_frame)
        self.assertEqual(ways[0].rig_index, 2)

    def test_sensible_ones_are_marked_with_a_reason(self) -> None:
        marks = [way.mark for way in self.ways(budget_s=120) if way.mark]
        self.assertTrue(any("pixels" in mark for mark in marks))
        self.assertTrue(any("time there is" in mark for mark in marks))

    def test_a_mosaic_of_many_stacks_is_not_called_sensible_where_one_picture_will_do(self) -> None:
        for subject in (Subject(4, 2.5), Subject(11, 7)):
            ways = [way for way in self.ways(subject=subject) if not way.single_frame]
            fewest = min(way.tiles for way in ways)
            self.assertTrue(all(way.tiles == fewest for way in ways if way.mark))

    def test_tiles_multiply_time_and_space(self) -> None:
        one, many = self.ways()[0], self.ways(subject=Subject(6, 4))[0]
        self.assertGreater(many.tiles, 1)
        self.assertAlmostEqual(many.seconds, one.seconds * many.tiles)

    def test_a_single_frame_stopped_down_is_sharp_over_all_of_it(self) -> None:
        optics = resolve(LENS)
        na = single_frame_na(optics, LENS, 5000)
        stopped = resolve(Rig(SENSOR, Measured(1, na=na)))
        self.assertAlmostEqual(stopped.sharp_depth_um.total, 5000, delta=1)
        worth = is_it_worth_it(LENS, optics, 5000, Wave())
        self.assertAlmostEqual(worth.single_detail_um, stopped.detail_um)
        self.assertAlmostEqual(worth.wider_than_px, 2 * 6000 * 3.76 / stopped.detail_um, delta=1)

    def test_worth_it_depends_on_the_use(self) -> None:
        optics = resolve(LENS)
        self.assertEqual(is_it_worth_it(LENS, optics, 5000, Screen(640)).use_px, 640)
        self.assertFalse(is_it_worth_it(LENS, optics, 5000, Screen(640)).worth_it)
        self.assertTrue(is_it_worth_it(LENS, optics, 5000, Screen(3840)).worth_it)
        self.assertFalse(is_it_worth_it(LENS, optics, 200, Wave()).worth_it)  # sharp over all of it as it is


class FramingAndTurning(unittest.TestCase):
    def test_a_rails_perspective_by_the_thin_lens(self) -> None:
        rig = Rig(SENSOR, Lens(5.6, 1, 1, focal_mm=100))
        framing = loose_framing(rig, resolve(rig), travel_um=2000, moves="rail")
        self.assertAlmostEqual(framing.growth, 2 / 200)
        self.assertIsNone(framing.assumed)
        self.assertLess(framing.field_mm[0], resolve(rig).field_mm[0] * 0.99)
        self.assertAlmostEqual(loose_framing(rig, resolve(rig), travel_um=2000, moves="focus_ring").growth, 2 / 100)

    def test_what_is_assumed_is_said(self) -> None:
        self.assertIn("assumed", loose_framing(LENS, resolve(LENS), travel_um=500, moves="rail").assumed or "")
        self.assertEqual(loose_framing(FIVE, resolve(FIVE), travel_um=500, moves="rail").growth, 0)

    def test_turning_a_slope_level_saves_all_its_frames(self) -> None:
        turns = turning(depth_um=1000 * tan(radians(20)), across_um=1000, step_um=10, by_degrees=(5, 10, 20, 30))
        self.assertEqual([turn.turned_deg for turn in turns], [5, 10, 20])
        self.assertAlmostEqual(turns[-1].depth_um, 0, places=6)
        self.assertEqual(turns[-1].frames_saved, 36)
        self.assertTrue(turns[0].frames_saved < turns[1].frames_saved < turns[2].frames_saved)


class Cautions(unittest.TestCase):
    def keys(self, **words: str) -> set[str]:
        return {one.key for one in cautions_for(Circumstances(**words))}  # type: ignore[arg-type]

    def test_those_that_apply(self) -> None:
        snow = self.keys(kind="snow", mount="chilled slate")
        self.assertLessEqual({"cold", "cyanoacrylate", "flash", "rail"}, snow)
        self.assertNotIn("minerals", snow)
        self.assertIn("minerals", self.keys(kind="mineral"))
        self.assertLessEqual({"solvents", "mains"}, self.keys(kind="insect", medium="alcohol"))
        self.assertLessEqual({"stings", "sharps"}, self.keys(kind="insect", name="jewel wasp", mount="pinned"))
        self.assertNotIn("stings", self.keys(kind="plant", name="sundew tentacle"))

    def test_they_defer_to_others_and_are_short(self) -> None:
        self.assertIn("local rules", DEFER)
        self.assertIn("trained staff", DEFER)
        for one in cautions_for(Circumstances(kind="snow", medium="alcohol", locality="x")):
            self.assertLess(len(one.text), 160, one)


if __name__ == "__main__":
    unittest.main()
