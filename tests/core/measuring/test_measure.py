"""Sizes on surfaces given by a formula, and what is said where little is known."""

import unittest
from collections.abc import Callable
from math import atan, degrees, hypot, pi, sqrt
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring import KINDS, Growth, Instrument, Measured, Rungs, measure
from amber_ladder.errors import BadInput

Float = NDArray[np.float32]
HEIGHT, WIDTH = 400, 500
MIDDLE = np.array([(WIDTH - 1) / 2, (HEIGHT - 1) / 2])
UM = 2.0  # µm in a pixel


def surface(depth: Callable[[Any, Any], Any]) -> Float:
    """Depth (H, W) at true places (µm about the middle)."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    return np.asarray(depth((x - MIDDLE[0]) * UM, (y - MIDDLE[1]) * UM), np.float32)


def instrument(depth: Float | None = None, u_um: float = 0.01, **known: Any) -> Instrument:
    """One that errs by little but what ``known`` says."""
    usual = {"u_scale": 0.0, "u_rail": 0.0, "u_tilt_deg": 0.0, "pick_px": 0.0, "deepest_um": 500.0}
    u = None if depth is None else np.full_like(depth, u_um)
    return Instrument((HEIGHT, WIDTH), UM, depth_um=depth, u_depth_um=u, **{**usual, **known})


def px(*places_um: tuple[float, float]) -> list[tuple[float, float]]:
    """Places of the picture from those about its middle in µm."""
    return [(x / UM + MIDDLE[0], y / UM + MIDDLE[1]) for x, y in places_um]


def ring(radius_um: float, x: float = 0.0, y: float = 0.0, corners: int = 40) -> list[tuple[float, float]]:
    """A round outline."""
    turns = np.arange(corners) * 2 * pi / corners
    return px(*((x + radius_um * float(np.cos(t)), y + radius_um * float(np.sin(t))) for t in turns))


def value(measured: Measured) -> float:
    assert measured.value is not None, measured
    return measured.value


class KnownAnswers(unittest.TestCase):
    def test_lengths_heights_and_angles_on_a_slope(self) -> None:
        slope = instrument(surface(lambda x, y: 200 + 0.75 * x + 0.0 * y))
        line = px((-100, 0), (100, 0))
        self.assertAlmostEqual(value(measure(slope, "length", line)), 200.0, places=3)
        self.assertAlmostEqual(value(measure(slope, "length_3d", line)), 250.0, delta=0.01)
        self.assertAlmostEqual(value(measure(slope, "length_surface", line)), 250.0, delta=0.05)
        self.assertAlmostEqual(value(measure(slope, "height", line)), 150.0, delta=0.01)
        corner = px((0, 100), (0, 0), (100, 0))
        self.assertAlmostEqual(value(measure(slope, "angle", corner)), 90.0, places=3)
        self.assertAlmostEqual(value(measure(slope, "angle_3d", corner)), 90.0, delta=0.01)
        bent = px((100, 50), (0, 0), (100, -50))
        flat, solid = degrees(2 * atan(0.5)), degrees(2 * atan(50 / hypot(100, 75)))
        self.assertAlmostEqual(value(measure(slope, "angle", bent)), flat, places=3)
        self.assertAlmostEqual(value(measure(slope, "angle_3d", bent)), solid, delta=0.02)
        self.assertAlmostEqual(value(measure(slope, "tilt", ring(80))), degrees(atan(0.75)), delta=0.01)

    def test_areas_of_a_slope(self) -> None:
        slope = instrument(surface(lambda x, y: 200 + 0.75 * x + 0.0 * y))
        square = px((-60, -60), (60, -60), (60, 60), (-60, 60))
        self.assertAlmostEqual(value(measure(slope, "area", square)), 14400.0, delta=0.1)
        self.assertAlmostEqual(value(measure(slope, "area_surface", square)) / 18000.0, 1.0, delta=0.001)

    def test_a_line_over_a_ridge_is_joined_through_space_but_follows_the_surface(self) -> None:
        ridge = instrument(surface(lambda x, y: 100 + np.abs(x) + 0.0 * y))
        line = px((-150, 0), (150, 0))
        self.assertAlmostEqual(value(measure(ridge, "length_3d", line)), 300.0, delta=0.1)
        along = measure(ridge, "length_surface", line)
        self.assertAlmostEqual(value(along), 300 * sqrt(2), delta=along.expanded or 0)
        self.assertLess(abs(value(along) / (300 * sqrt(2)) - 1), 0.02)

    def test_circle_and_sphere(self) -> None:
        ball = instrument(surface(lambda x, y: 450 - np.sqrt(np.maximum(400.0**2 - x * x - y * y, 150.0**2))))
        self.assertAlmostEqual(value(measure(ball, "circle", ring(120, corners=5))), 120.0, delta=0.01)
        cap = measure(ball, "sphere", ring(180))
        self.assertAlmostEqual(value(cap) / 400.0, 1.0, delta=0.001)
        self.assertNotIn("hollow", cap.notes)
        bowl = instrument(surface(lambda x, y: 50 + np.sqrt(np.maximum(400.0**2 - x * x - y * y, 150.0**2))))
        hollow = measure(bowl, "sphere", ring(180))
        self.assertAlmostEqual(value(hollow) / 400.0, 1.0, delta=0.001)
        self.assertIn("hollow", hollow.notes)

    def test_volume_of_a_pit_and_of_a_hill_on_a_slope(self) -> None:
        for sign in (1, -1):
            pit = surface(lambda x, y: 200 + 0.2 * x + sign * 60 * np.clip(1 - (x**2 + y**2) / 150.0**2, 0, 1) ** 2)  # noqa: B023
            told = measure(instrument(pit), "volume", ring(170, corners=80))
            self.assertAlmostEqual(value(told) / (pi * 150**2 * 60 / 3), 1.0, delta=0.005)
            self.assertIn("below" if sign > 0 else "above", told.notes[0])

    def test_dihedral_of_two_faces_and_what_they_enclose(self) -> None:
        roof = instrument(surface(lambda x, y: 100 + np.where(x > 0, 0.6 * x, -0.4 * x) + 0.0 * y))
        told = measure(roof, "dihedral", ring(60, x=150), ring(60, x=-150))
        normals = degrees(atan(0.6)) + degrees(atan(0.4))
        self.assertAlmostEqual(value(told), normals, delta=0.02)
        self.assertIn(f"enclose {180 - normals:.2f}°", " ".join(told.notes))

    def test_roughness_is_about_the_plane_of_the_face(self) -> None:
        waves = instrument(
            surface(lambda x, y: 200 + 0.3 * x + 5 * np.sin(2 * pi * x / 400) * np.cos(2 * pi * y / 400))
        )
        told = measure(waves, "roughness", px((-400, -390), (400, -390), (400, 390), (-400, 390)))
        self.assertAlmostEqual(value(told) / 2.5, 1.0, delta=0.1)

    def test_roughness_along_a_line_is_about_the_straight_one_nearest_to_it(self) -> None:
        waves = instrument(surface(lambda x, y: 200 + 0.3 * x - 0.1 * y + 5 * np.sin(2 * pi * x / 400)))
        across = measure(waves, "roughness_line", px((-400, -50), (400, 60)))
        self.assertAlmostEqual(value(across) / (5 / sqrt(2) * sqrt(1 - 6 / pi**2 / 4)), 1.0, delta=0.1)
        along = measure(waves, "roughness_line", px((50, -300), (50, 300)))
        self.assertLess(value(along), 0.05)
        holed = surface(lambda x, y: np.where(np.abs(x) < 40, np.nan, 200 + 0.3 * x) + 0.0 * y)
        self.assertIsNone(measure(instrument(holed), "roughness_line", px((-200, 0), (200, 0))).value)
        with self.assertRaisesRegex(BadInput, "needs 2 places, and has 3"):
            measure(waves, "roughness_line", px((0, 0), (10, 0), (20, 5)))

    def test_a_profile_gives_depth_along_the_line(self) -> None:
        step = instrument(surface(lambda x, y: np.where(x < 0, 100.0, 160.0) + 0.0 * y))
        told = measure(step, "profile", px((-80, 0), (80, 0)))
        self.assertAlmostEqual(value(told), 60.0, delta=0.1)
        assert told.along_um is not None
        assert told.depth_um is not None
        self.assertAlmostEqual(float(told.along_um[-1]), 160.0, places=3)
        np.testing.assert_allclose(told.depth_um[told.along_um < 70], 100.0, atol=0.1)
        np.testing.assert_allclose(told.depth_um[told.along_um > 90], 160.0, atol=0.1)

    def test_things_are_counted(self) -> None:
        told = measure(instrument(), "count", px((0, 0), (10, 0), (20, 5)))
        self.assertEqual((told.value, told.expanded), (3.0, 0.0))


class Uncertainty(unittest.TestCase):
    def test_of_scale_and_pick_on_a_length(self) -> None:
        line = px((-100, 0), (100, 0))
        scaled = measure(instrument(u_scale=0.01), "length", line)
        self.assertAlmostEqual(scaled.expanded or 0, 2 * 0.01 * 200, delta=1e-6)
        self.assertAlmostEqual(scaled.parts["scale"], 2.0, delta=1e-6)
        # Two ends, each clicked to 0.5 px along the line: √2 · 0.5 · 2 µm.
        picked = measure(instrument(pick_px=0.5), "length", line)
        self.assertAlmostEqual(picked.parts["pick"] / (sqrt(2) * 0.5 * UM), 1.0, delta=0.1)
        self.assertEqual([picked.parts[one] for one in ("scale", "depth", "index")], [0.0, 0.0, 0.0])

    def test_of_depth_index_and_rail_on_a_height(self) -> None:
        slope = surface(lambda x, y: 200 + 0.75 * x + 0.0 * y)
        line = px((-100, 0), (100, 0))
        for known, part, u in (({"u_index": 0.01}, "index", 1.5), ({"u_rail": 0.01}, "depth", 1.5)):
            told = measure(instrument(slope, **known), "height", line)
            self.assertAlmostEqual(told.parts[part], u, delta=0.05)
        noisy = measure(instrument(slope, u_um=4.0), "height", line)
        # Averaged a little at either end.
        self.assertTrue(3.5 < noisy.parts["depth"] < sqrt(2) * 4.0, noisy.parts)

    def test_where_scale_changes_with_depth_a_length_takes_that_of_its_own_depth(self) -> None:
        grows = Growth(per_um=1e-4, u_per_um=1e-5, at_um=100.0)
        deep = instrument(surface(lambda x, y: 300 + 0.0 * x + 0.0 * y), growth=grows)
        told = measure(deep, "length", px((-100, 0), (100, 0)))
        self.assertAlmostEqual(value(told), 200 * 1.02, delta=0.01)
        self.assertAlmostEqual(told.parts["projection"], 200 * 200e-5, delta=0.02)
        # Without depth it may be that of any depth of the ladder.
        unknown = measure(instrument(growth=grows), "length", px((-100, 0), (100, 0)))
        self.assertAlmostEqual(value(unknown), 200.0, places=3)
        self.assertGreater(unknown.parts["projection"], 200 * 1e-4 * 500 / sqrt(12) * 0.9)

    def test_of_a_plane_through_many_places_is_less_than_of_two(self) -> None:
        slope = instrument(surface(lambda x, y: 200 + 0.5 * x + 0.0 * y), u_um=5.0)
        wide, narrow = (measure(slope, "tilt", ring(radius)).parts["depth"] for radius in (160, 40))
        self.assertLess(wide, narrow / 3)

    def test_noise_does_not_make_lines_longer_nor_faces_rougher(self) -> None:
        plane = surface(lambda x, y: 200 + 0.3 * x + 0.0 * y)
        random = np.random.default_rng(4)
        noise = cv2.GaussianBlur(random.normal(0, 1, plane.shape), (0, 0), 3.4)
        noisy = instrument((plane + 3.0 * noise / noise.std()).astype(np.float32), u_um=3.0)
        along = measure(noisy, "length_surface", px((-300, 20), (300, 20)))
        self.assertLess(abs(value(along) / (600 * sqrt(1.09)) - 1), 0.01)
        flat = measure(noisy, "roughness", ring(200))
        self.assertLessEqual(value(flat), (flat.expanded or 0) + 0.3)

    def test_what_is_no_plane_and_no_sphere_says_so_and_is_less_certain(self) -> None:
        bumpy = instrument(surface(lambda x, y: 200 + 0.2 * x + 15 * np.sin(x / 20.0) * np.cos(y / 25.0)), u_um=1.0)
        flat = instrument(surface(lambda x, y: 200 + 0.2 * x + 0.0 * y), u_um=1.0)
        for kind, shape in (("tilt", "plane"), ("sphere", "sphere")):
            told = measure(bumpy, kind, ring(150))
            with self.subTest(kind):
                self.assertIn(f"this is no {shape}", told.notes[0])
        self.assertGreater(
            measure(bumpy, "tilt", ring(150)).parts["depth"], 4 * measure(flat, "tilt", ring(150)).parts["depth"]
        )
        self.assertIsNone(measure(flat, "sphere", ring(150)).value)

    def test_a_plane_is_as_sure_as_what_is_left_over_shows(self) -> None:
        plane = surface(lambda x, y: 200 + 0.2 * x + 0.0 * y)
        blurred = np.asarray(cv2.GaussianBlur(np.random.default_rng(7).normal(0, 1, plane.shape), (0, 0), 2.0))
        noise = blurred / blurred.std()

        def depth_part(noise_um: float) -> float:
            noisy = instrument((plane + noise_um * noise).astype(np.float32), u_um=2.0)
            return measure(noisy, "tilt", ring(150)).parts["depth"]

        as_stated = depth_part(2.0)
        self.assertAlmostEqual(depth_part(4.0) / as_stated, 2.0, delta=0.15)
        # Much less noise may as well be smoothed away: the map's own uncertainty is believed but for 15 %.
        self.assertAlmostEqual(depth_part(0.2), depth_part(0.0), delta=0.02 * as_stated)
        self.assertGreater(depth_part(0.0), 0.75 * as_stated)

    def test_of_two_faces_each_is_as_sure_as_its_own_left_overs_show(self) -> None:
        faces = surface(lambda x, y: 250 + 0.5 * np.abs(x) + 0.0 * y)
        rough = faces + np.where(np.arange(WIDTH) < WIDTH // 2, 8.0, 0.0) * np.random.default_rng(8).choice(
            [-1.0, 1.0], faces.shape
        ).astype(np.float32)
        left, right = ring(70, -150), ring(70, 150)
        smooth = instrument(faces, u_um=1.0)
        torn = instrument(rough.astype(np.float32), u_um=1.0)
        one, other = (measure(torn, "tilt", face).parts["depth"] for face in (left, right))
        self.assertGreater(one, 2 * other)
        both = measure(torn, "dihedral", left, right).parts["depth"]
        self.assertAlmostEqual(both, hypot(one, other), delta=0.15 * both)
        self.assertLess(measure(smooth, "dihedral", left, right).parts["depth"], both / 2)


class WhatIsNotKnown(unittest.TestCase):
    def setUp(self) -> None:
        self.slope = surface(lambda x, y: 200 + 0.75 * x + 0.0 * y)
        self.slope[:, 200:320] = np.nan

    def test_no_value_but_a_bound_where_a_line_crosses_what_is_unknown(self) -> None:
        told = measure(instrument(self.slope), "length_surface", px((-200, 0), (200, 0)))
        self.assertIsNone(told.value)
        self.assertIsNone(told.expanded)
        self.assertAlmostEqual(told.known, 0.4, delta=0.02)
        self.assertRegex(" ".join(told.notes), "unknown for 5[89]")
        self.assertAlmostEqual(told.at_least or 0, 500.0, delta=0.5)

    def test_no_height_where_an_end_is_unknown(self) -> None:
        told = measure(instrument(self.slope), "height", px((-200, 0), (0, 0)))
        self.assertEqual((told.value, told.known), (None, 0.5))

    def test_a_volume_is_bounded_by_the_ladder(self) -> None:
        told = measure(instrument(self.slope), "volume", ring(190))
        self.assertIsNone(told.value)
        self.assertLess(told.at_least or 0, told.at_most or 0)

    def test_small_holes_are_bridged_and_told(self) -> None:
        holed = surface(lambda x, y: 200 + 0.75 * x + 0.0 * y)
        holed[195:205, 240:250] = np.nan
        told = measure(instrument(holed), "length_surface", px((-100, 0), (100, 0)))
        self.assertAlmostEqual(value(told), 250.0, delta=0.3)
        self.assertLess(told.known, 1.0)
        self.assertIn("bridged", " ".join(told.notes))

    def test_a_hole_that_holds_an_edge_is_not_bridged(self) -> None:
        edge = surface(lambda x, y: np.where(x < 0, 100.0, 220.0) + 0.0 * y)
        edge[:, 244:256] = np.nan
        self.assertIsNone(measure(instrument(edge), "length_surface", px((-100, 0), (100, 0))).value)

    def test_what_is_hardly_sure_counts_as_unknown(self) -> None:
        doubtful = instrument(surface(lambda x, y: 200 + 0.0 * x + 0.0 * y), u_um=9.0, most_u_um=5.0)
        self.assertEqual(measure(doubtful, "height", px((-10, 0), (10, 0))).known, 0.0)


class Refused(unittest.TestCase):
    def test_what_cannot_be_measured_says_why(self) -> None:
        flat = instrument(surface(lambda x, y: 200 + 0.0 * x + 0.0 * y))
        two = px((0, 0), (10, 0))
        for kind, points, words in (
            ("length", [(10.0, 10.0)], "2 or more places, and has 1"),
            ("height", px((0, 0), (5, 5), (9, 9)), "needs 2 places"),
            ("angle", two, "needs 3 places"),
            ("length", [(10.0, 10.0), (900.0, 10.0)], "900, 10 lies outside the picture of 500 × 400 px"),
            ("length", [(10.0, 10.0), (10.0, 10.0)], "on one another"),
            ("area", px((0, 0), (10, 10), (20, 20)), "lie on one line"),
            ("dihedral", ring(50), "second face needs 3 or more places"),
        ):
            with self.subTest(kind, words=words), self.assertRaisesRegex(BadInput, words):
                measure(flat, kind, points)

    def test_depth_is_asked_for_only_where_it_is_needed(self) -> None:
        blind = instrument()
        for kind, what in KINDS.items():
            points, second = ring(50, corners=3 if what.most == 3 else 8)[: what.most], None
            if kind == "dihedral":
                second = ring(50, x=200)
            with self.subTest(kind):
                if what.needs_depth:
                    with self.assertRaisesRegex(BadInput, "nothing is known of depth"):
                        measure(blind, kind, points, second)
                else:
                    self.assertIsNotNone(measure(blind, kind, points, second).value)


class TowardsTheFrames(unittest.TestCase):
    def test_depths_drawn_towards_the_frames_are_put_back(self) -> None:
        at = np.arange(0.0, 400.0, 20.0)
        true = np.linspace(25.0, 350.0, 40_000)
        drawn = true - 1.2 * np.sin(2 * pi * true / 20.0)
        rungs = Rungs.of(drawn, at)
        assert rungs is not None
        back = rungs.corrected(drawn, np.zeros((len(drawn), 2)), 1.4)
        self.assertLess(float(np.abs(back - true).max()), 0.25)
        # A steep slope averages it out by itself.
        steep = rungs.corrected(drawn, np.full((len(drawn), 2), 10.0), 4.0)
        self.assertLess(float(np.abs(steep - drawn).max()), 0.05)

    def test_a_specimen_of_few_levels_tells_nothing_of_it(self) -> None:
        at = np.arange(0.0, 400.0, 20.0)
        self.assertIsNone(Rungs.of(np.repeat([44.0, 183.0, 301.0], 5000), at))


if __name__ == "__main__":
    unittest.main()
