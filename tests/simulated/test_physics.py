"""The simulated bench's parts against the laws that they stand for: what is measured on it is only as true as they are."""

import unittest
from math import pi

import numpy as np
from scipy.special import j1

from amber_ladder.core.colour import decode_srgb
from amber_ladder.core.optics import Sensor
from amber_ladder.errors import BadInput
from amber_ladder.simulated.behaviour import Behaviour
from amber_ladder.simulated.flash import SimulatedFlash
from amber_ladder.simulated.hand import BodyHabits, HandHabits, SimulatedHand, shot_by_body
from amber_ladder.simulated.psf import radial_profile
from amber_ladder.simulated.rail.mechanics import Build, RailMechanics, duration_s, swing_um, travelled_um
from amber_ladder.simulated.scene import Scene, Sheet, in_perspective
from amber_ladder.simulated.sensor import SimulatedSensor
from amber_ladder.simulated.wobble import Wobble

NA, WAVE_UM = 0.28, 0.55


class PointSpread(unittest.TestCase):
    def profile(self, radius_um: np.ndarray, defocus_um: float) -> np.ndarray:
        return radial_profile(radius_um, defocus_um, na=NA, wavelength_um=WAVE_UM, medium_index=1.0)

    def test_in_focus_it_is_airys_pattern(self) -> None:
        radius = np.linspace(0.01, 8.0, 400)
        x = 2 * pi * NA * radius / WAVE_UM
        found = self.profile(radius, 0.0)
        np.testing.assert_allclose(found / self.profile(np.zeros(1), 0.0), (2 * j1(x) / x) ** 2, atol=2e-4)

    def test_on_the_axis_it_fades_with_defocus_as_a_sinc_squared(self) -> None:
        """Born & Wolf 8.8.2, with the exact path: the phase across the pupil's area is nearly even."""
        sharp = float(self.profile(np.zeros(1), 0.0)[0])
        for defocus_um in (2.0, 4.0, 5.5, 9.0):
            edge = 2 * pi / WAVE_UM * defocus_um * (1.0 - np.sqrt(1.0 - NA**2))
            self.assertAlmostEqual(
                float(self.profile(np.zeros(1), defocus_um)[0]) / sharp,
                float(np.sinc(edge / (2 * pi)) ** 2),
                delta=0.01,
            )

    def test_focus_before_and_behind_look_alike_and_no_light_is_lost(self) -> None:
        radius = np.linspace(0.0, 120.0, 12001)
        all_of_it = WAVE_UM**2 / (4 * pi * NA**2)
        for defocus_um in (0.0, 8.0, 25.0):
            found = self.profile(radius, defocus_um)
            np.testing.assert_allclose(found, self.profile(radius, -defocus_um))
            self.assertAlmostEqual(float(np.trapezoid(found * 2 * pi * radius, radius)) / all_of_it, 1.0, delta=0.02)


class InPerspective(unittest.TestCase):
    def test_what_lies_deeper_is_smaller_by_as_much_as_the_picture_grows_there(self) -> None:
        """A dot 100 px from the middle, deep below one that lies near."""
        shape = (81, 401)
        for deep_um, growth in ((0.0, 1e-4), (200.0, 1e-4), (500.0, 4e-5)):
            rgb = np.zeros((*shape, 3), np.float32)
            y, x = np.mgrid[: shape[0], : shape[1]]
            rgb += np.exp(-((x - 300.0) ** 2 + (y - 40.0) ** 2) / 8.0)[..., None].astype(np.float32)
            sheet = Sheet(rgb, np.ones(shape, np.float32), np.full(shape, deep_um, np.float32))
            seen = in_perspective(Scene((sheet,)), growth).sheets[0].rgb[..., 0]
            at = float((seen * x).sum() / seen.sum())
            self.assertAlmostEqual(at, 200.0 + 100.0 / (1.0 + growth * deep_um), delta=0.01)
            self.assertAlmostEqual(float(sheet.depth_um.max()), deep_um)

    def test_on_a_slope_depth_goes_along_with_what_lies_there(self) -> None:
        shape = (21, 401)
        depth = np.repeat(np.linspace(0.0, 400.0, 401, dtype=np.float32)[None], 21, axis=0)
        value = np.repeat((depth / 400.0)[..., None], 3, axis=2)
        seen = in_perspective(Scene((Sheet(value, np.ones(shape, np.float32), depth),)), 2e-4).sheets[0]
        np.testing.assert_allclose(seen.rgb[10, 30:-30, 0] * 400.0, seen.depth_um[10, 30:-30], atol=0.6)
        x = 350.0
        grown = 1 + 2e-4 * seen.depth_um[10, int(x)]
        self.assertAlmostEqual(float(seen.depth_um[10, int(x)]), 200.0 + (x - 200.0) * float(grown), delta=0.5)


class Rail(unittest.TestCase):
    def homed(self, **build: float) -> RailMechanics:
        rail = RailMechanics(Build(**build))
        rail.home(0.0)
        rail.reported_um(100.0)
        self.assertTrue(rail.homed)
        return rail

    def test_a_move_takes_the_time_of_even_acceleration(self) -> None:
        build = Build(speed_um_s=4000.0, acceleration_um_s2=100_000.0)
        self.assertAlmostEqual(duration_s(40.0, build), 2 * np.sqrt(40.0 / 100_000.0))
        self.assertAlmostEqual(duration_s(4000.0, build), 4000 / 4000 + 4000 / 100_000)
        # Way over time, as its speed added up in small steps.
        for length_um in (40.0, 160.0, 4000.0):
            whole, dt = duration_s(length_um, build), 1e-5
            t = np.arange(0.0, whole, dt)
            speed = np.minimum(np.minimum(100_000.0 * t, 4000.0), 100_000.0 * (whole - t))
            way = np.cumsum(speed) * dt
            for share in (0.1, 0.4, 0.5, 0.8):
                at = int(share * len(t))
                self.assertAlmostEqual(travelled_um(float(t[at]), length_um, build), float(way[at]), delta=0.5)
            self.assertEqual(travelled_um(whole + 1.0, length_um, build), length_um)

    def test_the_carriage_lags_by_the_play_after_it_turns_round_and_nobody_is_told(self) -> None:
        rail = self.homed(backlash_um=50.0, click_um=2.5)
        rail.send(5000.0, 100.0)
        self.assertEqual((rail.reported_um(110.0), rail.truth(110.0).carriage_um), (5000.0, 5000.0))
        rail.send(4900.0, 110.0)
        self.assertEqual((rail.reported_um(120.0), rail.truth(120.0).carriage_um), (4900.0, 4950.0))
        rail.send(5000.0, 120.0)
        self.assertEqual(rail.truth(130.0).carriage_um, 5000.0)

    def test_it_stands_on_whole_clicks_and_reports_them(self) -> None:
        rail = self.homed(click_um=2.5)
        rail.send(5001.2, 100.0)
        self.assertEqual(rail.reported_um(110.0), 5000.0)
        rail.send(6000.0, 110.0)
        self.assertEqual(rail.reported_um(110.1) % 2.5, 0.0)
        rail.halt(110.1)
        stood = rail.reported_um(110.1)
        self.assertTrue(5000.0 < stood < 6000.0)
        self.assertEqual((stood % 2.5, rail.reported_um(200.0)), (0.0, stood))

    def test_it_goes_nowhere_before_it_is_homed_nor_beyond_its_travel(self) -> None:
        with self.assertRaisesRegex(BadInput, "not homed"):
            RailMechanics().send(2000.0, 0.0)
        halfway = RailMechanics()
        halfway.home(0.0)
        halfway.halt(0.5)
        with self.assertRaisesRegex(BadInput, "not homed"):
            halfway.send(2000.0, 1.0)
        with self.assertRaisesRegex(BadInput, "beyond the travel"):
            self.homed(max_um=3000.0).send(3010.0, 200.0)

    def test_its_shaking_dies_away_and_a_short_move_shakes_less(self) -> None:
        def swing(length_um: float, after_s: float) -> float:
            rail = self.homed(shake_um=4.0, shake_dies_s=0.2)
            rail.send(1000.0, 100.0)
            rail.truth(200.0)
            rail.send(1000.0 + length_um, 200.0)
            rested = 200.0 + duration_s(length_um, rail.build)
            return rail.truth(rested + after_s).amplitude_um

        self.assertAlmostEqual(swing(1000.0, 0.0), 4.0, places=2)
        self.assertAlmostEqual(swing(1000.0, 0.2), 4.0 / np.e, places=2)
        self.assertAlmostEqual(swing(50.0, 0.0), 2.0, places=2)
        rail = self.homed(shake_um=4.0)
        rail.send(2000.0, 100.0)
        end = 100.0 + duration_s(2000.0 + 5000.0, rail.build)
        told = rail.truth(end + 0.01)
        # What is told of the swing ahead is what is true then.
        later = rail.truth(end + 0.06)
        self.assertAlmostEqual(swing_um(told, rail.build, 0.05), swing_um(later, rail.build, 0.0), delta=1e-6)


class FlashLight(unittest.TestCase):
    def setUp(self) -> None:
        self.now_s = 0.0
        self.flash = SimulatedFlash(4.0, clock=lambda: self.now_s)

    def test_fired_too_soon_it_gives_what_it_has_and_waits_as_long_as_it_says(self) -> None:
        self.flash.power = 1.0
        self.assertEqual(self.flash.fire(), 1.0)
        self.now_s = 1.0
        self.assertAlmostEqual(self.flash.ready_in_s(), 3.0)
        self.assertAlmostEqual(self.flash.fire(), 0.25)
        self.now_s += self.flash.ready_in_s()
        self.assertAlmostEqual(self.flash.fire(), 1.0)

    def test_a_tired_one_says_that_it_is_ready_and_is_not(self) -> None:
        self.flash.tired, self.flash.power = 3.0, 1.0
        self.flash.fire()
        self.now_s += self.flash.ready_in_s()
        self.assertEqual(self.flash.ready_in_s(), 0.0)
        self.assertAlmostEqual(self.flash.fire(), 1 / 3)

    def test_small_powers_follow_one_another_until_the_store_is_empty(self) -> None:
        self.flash.power = 0.25
        self.assertEqual([self.flash.fire() for _ in range(5)], [0.25] * 4 + [0.0])
        self.flash.on = False
        self.assertEqual((self.flash.fire(), self.flash.ready_in_s()), (0.0, 0.0))


class SensorNoise(unittest.TestCase):
    def test_noise_is_that_of_counted_electrons(self) -> None:
        well, read = 2000.0, 8.0
        sensor = SimulatedSensor(Sensor(300, 200, 4.0), Wobble(0, 0, 0, 0, well, read))
        for light in (0.02, 0.2, 0.6):
            out = sensor.read(np.full((200, 300, 3), light, np.float32), np.random.default_rng(1))
            spread = float(decode_srgb(out.astype(np.float32) / 255.0).std())
            self.assertAlmostEqual(spread / np.sqrt(light / well + (read / well) ** 2), 1.0, delta=0.03)

    def test_hot_pixels_lie_where_they_lay_and_light_beyond_white_is_white(self) -> None:
        sensors = [
            SimulatedSensor(Sensor(300, 200, 4.0), Wobble(0, 0, 0, 0, 0, 0, hot_pixels=40), seed=s) for s in (3, 3, 4)
        ]
        dark = [one.read(np.zeros((200, 300, 3), np.float32), np.random.default_rng(0)) for one in sensors]
        np.testing.assert_array_equal(dark[0], dark[1])
        self.assertTrue(30 <= np.count_nonzero(dark[0].max(axis=2)) <= 40)
        self.assertTrue((dark[0] != dark[2]).any())
        white = sensors[0].read(np.full((200, 300, 3), 7.0, np.float32), np.random.default_rng(0))
        self.assertEqual(int(white.min()), 255)


class Restless(unittest.TestCase):
    def test_each_behaviour_moves_what_it_should_and_the_ground_never(self) -> None:
        for told in ("shrinks", "twitches", "wilts"):
            one = Behaviour(40.0, **{told: True}, seed=5)
            self.assertIsNone(one.of_sheet(0, 3))
            self.assertIsNotNone(one.of_sheet(2, 3))
        self.assertIsNone(Behaviour(40.0).of_sheet(2, 3))
        snow = Behaviour(100.0, shrinks=True).of_sheet(1, 3)
        assert snow
        self.assertAlmostEqual(snow.scale, 0.91)
        self.assertGreater(snow.deeper_um, 0)

    def test_an_antenna_lies_still_for_a_while_and_then_elsewhere_and_the_rest_does_not(self) -> None:
        turns = [Behaviour(t, twitches=True, seed=9).of_sheet(2, 3) for t in (1.0, 8.0, 9.5, 17.0, 18.5)]
        told = [one.turn_deg if one else None for one in turns]
        self.assertEqual(told[0], 0.0)
        self.assertEqual((told[0], told[2]), (told[1], told[3]))
        self.assertEqual(len({told[0], told[2], told[4]}), 3)
        body = Behaviour(20.0, twitches=True, seed=9).of_sheet(1, 3)
        assert body
        self.assertEqual(body.turn_deg, 0.0)


class ByHand(unittest.TestCase):
    def test_a_hand_that_turns_past_rungs_is_off_by_whole_steps_and_does_not_know(self) -> None:
        hand = SimulatedHand(HandHabits(0.0, passes_over=0.2), finest_um=1.0, step_um=10.0, seed=3)
        true = np.array([hand.turn_to(10.0 * n) for n in range(60)]) - 10.0 * np.arange(60)
        self.assertEqual(set((true % 10.0).tolist()), {0.0})
        self.assertTrue((np.diff(true) >= 0).all())
        self.assertTrue(50.0 <= true[-1] <= 220.0)
        self.assertEqual(hand.off_um, true[-1])

    def test_a_hand_that_forgets_stays_and_a_steady_one_is_where_it_was_called(self) -> None:
        forgets = SimulatedHand(HandHabits(0.0, forgets=0.2), finest_um=1.0, step_um=10.0, seed=3)
        went = np.diff([forgets.turn_to(10.0 * n) for n in range(60)])
        self.assertEqual(set(went.tolist()), {0.0, 10.0})
        steady = SimulatedHand(HandHabits(0.3), finest_um=2.0, step_um=10.0, seed=3)
        off = np.array([steady.turn_to(10.0 * n) for n in range(400)]) - 10.0 * np.arange(400)
        self.assertAlmostEqual(float(off.std()), 0.6, delta=0.06)

    def test_a_body_stops_early_goes_on_or_loses_a_file(self) -> None:
        called = tuple(100.0 + 5.0 * n for n in range(10))
        self.assertEqual([at for _, at in shot_by_body(BodyHabits(), called)], list(called))
        self.assertEqual(len(shot_by_body(BodyHabits(ends_after=0.7), called)), 7)
        more = shot_by_body(BodyHabits(more=2), called)
        self.assertEqual(more[-1], (11, 155.0))
        lost = shot_by_body(BodyHabits(loses=4), called)
        self.assertEqual([n for n, _ in lost], [0, 1, 2, 3, 5, 6, 7, 8, 9])
        self.assertEqual(lost[4], (5, 125.0))  # the others lie where they lay


if __name__ == "__main__":
    unittest.main()
