"""The simulated bench against what optics says it must do."""

import unittest

import cv2
import numpy as np

from amber_ladder.core.optics import InfinityObjective, Rig, Sensor, resolve
from amber_ladder.simulated.blur import Blur
from amber_ladder.simulated.psf import kernel
from amber_ladder.simulated.scene import Grid, Scene, Sheet, compose
from amber_ladder.simulated.specimens import RAMP_SLOPE_DEG, RULING_UM, SPECIMENS, SimulatedSpecimen
from amber_ladder.simulated.stand import SimulatedStand
from amber_ladder.simulated.wobble import Wobble

SENSOR = Sensor(256, 192, 5.0)
OPTICS = resolve(Rig(SENSOR, InfinityObjective(5, 0.14, 200, 200)))
STILL = Wobble(0, 0, 0, 0, 0, 0)


def flat(depth_um: float) -> SimulatedSpecimen:
    def build(grid: Grid, seed: int) -> Scene:
        light = np.random.default_rng(seed).random((*grid.x_um.shape, 1), dtype=np.float32)
        light = np.repeat(cv2.GaussianBlur(light[..., 0], (0, 0), 2.0)[..., None], 3, axis=2)
        shape = grid.x_um.shape
        return Scene((Sheet(light, np.ones(shape, np.float32), np.full(shape, depth_um, np.float32)),))

    return SimulatedSpecimen("flat", "flat", "test", 100, depth_um, build)


def exposed(bench: SimulatedStand) -> np.ndarray:
    return cv2.imdecode(np.frombuffer(bench.expose().content, np.uint8), cv2.IMREAD_COLOR_RGB).astype(np.float64)  # type: ignore[union-attr]


class PointSpread(unittest.TestCase):
    def test_in_focus_the_first_dark_ring_lies_at_rayleighs_distance(self) -> None:
        fine = kernel(0.0, 0.05, na=0.14, wavelength_um=0.55, medium_index=1.0)
        row = fine[fine.shape[0] // 2, fine.shape[1] // 2 :]
        darkest = int(np.argmin(row[: int(1.5 * OPTICS.detail_um / 0.05)])) * 0.05
        self.assertAlmostEqual(darkest, 0.61 * 0.55 / 0.14, delta=0.05)

    def test_far_out_of_focus_it_is_the_light_cones_disc(self) -> None:
        wide = kernel(300.0, 1.0, na=0.14, wavelength_um=0.55, medium_index=1.0).astype(np.float64)
        axis = np.arange(wide.shape[0]) - wide.shape[0] // 2
        x, y = np.meshgrid(axis, axis)
        radius = 300 * 0.14 / np.sqrt(1 - 0.14**2)
        # A uniform disc's mean squared distance from its axis is half its radius squared.
        self.assertAlmostEqual(float((wide * (x**2 + y**2)).sum()) / (radius**2 / 2), 1.0, delta=0.08)
        self.assertAlmostEqual(float(wide.sum()), 1.0, places=5)

    def test_a_transfer_of_contrast_falls_with_defocus_as_diffraction_has_it(self) -> None:
        """Kernels that ended at the second ring gave what lies outside to their middles, and blur grew a tenth faster."""
        # Stokseth 1969: of what rays do by themselves, half s k², (1 - k / k0)² is left near focus.
        cut_off = 4 * np.pi * 0.14 / 0.55
        for k in (0.35, 0.45, 0.55, 0.65):
            before, after = _contrast(5.0, k), _contrast(17.0, k)
            spread = (17.0**2 - 5.0**2) * 0.14**2 / (1 - 0.14**2) / 4
            left = 2 * (before - after) / (before + after) / (0.5 * spread * k**2)
            self.assertAlmostEqual(left / (1 - k / cut_off) ** 2, 1.0, delta=0.06, msg=str(k))

    def test_pictures_out_of_focus_are_as_their_kernels_say_on_coarse_grids_too(self) -> None:
        """A coarse grid's own blur had come on top: by a third of a step out of focus, detail had lost a fifth too much."""
        random = np.random.default_rng(4)
        detail = cv2.GaussianBlur(random.normal(0, 1, (300, 300)), (0, 0), 2.0)
        light = np.asarray(0.5 + 0.1 * detail / detail.std(), np.float32)
        inner = np.s_[60:-60, 60:-60]
        for defocus_um, off in ((0.0, 0.001), (7.0, 0.001), (20.0, 0.005), (45.0, 0.06), (75.0, 0.08), (110.0, 0.13)):
            sheet = Sheet(np.dstack([light] * 3), np.ones_like(light), np.full_like(light, 50.0 + defocus_um))
            green = Blur(OPTICS, 300.0).focused_at(sheet, 50.0)[..., 1][inner]
            exact = kernel(defocus_um, 1.0, na=0.14, wavelength_um=0.55, medium_index=1.0)
            want = cv2.filter2D(light, -1, exact)[inner]
            self.assertLess(float((green - want).std() / want.std()), off, defocus_um)
            self.assertAlmostEqual(float(green.std() / want.std()), 1.0, delta=0.015, msg=str(defocus_um))

    def test_a_picture_turned_upside_down_is_blurred_as_it_was(self) -> None:
        """Blocks and wide pixels begin at the top left, and must not show: not where they meet, nor at the edges."""
        random = np.random.default_rng(7)
        y, x = np.mgrid[:320, :704].astype(np.float32)
        depth_um = np.asarray(40.0 + 0.35 * x + 20.0 * np.sin(y / 40.0), np.float32)
        colour = np.asarray(cv2.GaussianBlur(random.random((320, 704, 3)), (0, 0), 1.5), np.float32)
        cover = np.asarray(np.clip(60.0 - np.hypot(x - 500.0, y - 60.0), 0.0, 1.0), np.float32)
        for covered in (np.ones_like(cover), cover):
            for focus_um in (60.0, 180.0):
                sheet = Sheet(colour, covered, depth_um)
                turned = Sheet(*(np.ascontiguousarray(one[::-1, ::-1]) for one in (colour, covered, depth_um)))
                one, other = (Blur(OPTICS, 400.0).focused_at(each, focus_um) for each in (sheet, turned))
                np.testing.assert_allclose(other[::-1, ::-1], one, atol=1e-5)

    def test_a_small_part_spreads_its_light_as_if_the_whole_sheet_were_reckoned(self) -> None:
        y, x = np.mgrid[:240, :320]
        leg = np.asarray(np.abs(0.4 * (x - 60) - (y - 70)) < 9, np.float32) * np.float32((x > 40) & (x < 110))
        depth_um = np.asarray(90.0 + 0.3 * x, np.float32)
        whole = leg.copy()
        whole[0, 0] = whole[-1, -1] = 1e-30  # nothing to see, and yet covered from corner to corner
        colour = np.dstack([leg, 0.5 * leg, 0.2 * leg])
        for focus_um in (60.0, 110.0, 135.0, 260.0):
            part, all_of_it = (
                Blur(OPTICS, 300.0).focused_at(Sheet(colour, cover, depth_um), focus_um) for cover in (leg, whole)
            )
            np.testing.assert_allclose(part, all_of_it, atol=2e-6)
            self.assertGreater(float(part[..., 3].max()), 0.05)

    def test_far_out_of_focus_the_quick_blur_of_a_live_view_is_smooth_too(self) -> None:
        """Coarse pixels as wide as the cone had painted bars and kinks, and the search for the ends took them for edges."""
        y, x = np.mgrid[:360, :360] - 180.0
        light = np.asarray(np.hypot(x, y) < 50.0, np.float32)
        for defocus_um in (150.0, 260.0, 420.0):
            sheet = Sheet(np.dstack([light] * 3), np.ones_like(light), np.full_like(light, defocus_um))
            green = Blur(OPTICS, 900.0, coarser=3.0).focused_at(sheet, 0.0)[..., 1]
            exact = kernel(defocus_um, 1.0, na=0.14, wavelength_um=0.55, medium_index=1.0)
            want = cv2.filter2D(light, -1, exact)
            self.assertLess(float(np.abs(green - want).max() / want.max()), 0.08, defocus_um)

    def test_a_thing_far_in_front_of_its_ground_is_as_each_of_them_is_alone(self) -> None:
        """No place lies at the many depths between them."""
        y, x = np.mgrid[:300, :400].astype(np.float32)
        light = np.asarray(0.5 + 0.3 * np.sin(x / 5.0) * np.sin(y / 5.0), np.float32)
        rgb, cover = np.dstack([light] * 3), np.ones_like(light)
        blur = Blur(OPTICS, 900.0)

        def seen(depth_um: np.ndarray, focus_um: float) -> np.ndarray:
            return blur.focused_at(Sheet(rgb, cover, np.asarray(depth_um, np.float32)), focus_um)[..., 1]

        both = np.where(x < 200, np.float32(0.0), np.float32(600.0))
        for focus_um in (0.0, 600.0, 300.0, 850.0):
            found = seen(both, focus_um)
            for depth_um, part in ((0.0, np.s_[120:180, 20:30]), (600.0, np.s_[120:180, 370:380])):
                alone = seen(np.full_like(light, depth_um), focus_um)
                np.testing.assert_allclose(found[part], alone[part], atol=0.02)


def _contrast(defocus_um: float, k: float) -> float:
    """Of lines of a frequency (rad/µm), in focus or out of it; one pixel is 1 µm."""
    spread = kernel(defocus_um, 1.0, na=0.14, wavelength_um=0.55, medium_index=1.0).sum(axis=0).astype(np.float64)
    return float(spread @ np.cos(k * (np.arange(len(spread)) - len(spread) // 2)))


class BentSurfaces(unittest.TestCase):
    def test_a_surface_of_one_brightness_keeps_it_however_it_is_bent_and_wherever_focus_lies(self) -> None:
        """Pits had brightened and darkened as focus passed, and a wasp had seemed to move by it."""
        y, x = np.mgrid[:160, :200].astype(np.float32)
        pitted = np.asarray(60.0 + 16.0 * np.sin(x / 7.0) * np.sin(y / 7.0), np.float32)
        one, dark = np.full((160, 200, 3), 0.5, np.float32), np.zeros((160, 200, 3), np.float32)
        cover = np.ones((160, 200), np.float32)
        ground, surface = Sheet(dark, cover, np.full_like(cover, 200.0)), Sheet(one, cover, pitted)
        blur = Blur(OPTICS, 300.0)
        for focus_um in (0.0, 55.0, 120.0):
            light = compose([blur.focused_at(sheet, focus_um) for sheet in (ground, surface)])
            np.testing.assert_allclose(light[20:-20, 20:-20], 0.5, atol=5e-3)


class Bench(unittest.TestCase):
    def test_sharpest_where_focus_meets_the_specimen(self) -> None:
        bench = SimulatedStand(flat(100), OPTICS, SENSOR, near_um=5000, seed=1, wobble=STILL)
        contrast = []
        for position in range(5000, 5201, 25):
            bench.move_to(position)
            contrast.append(exposed(bench).std())
        self.assertEqual(int(np.argmax(contrast)), 4)

    def test_in_resin_focus_sinks_faster_than_the_stage(self) -> None:
        resin = resolve(Rig(SENSOR, InfinityObjective(5, 0.14, 200, 200), medium_index=1.5))
        bench = SimulatedStand(flat(150), resin, SENSOR, near_um=0, seed=1, wobble=STILL)
        bench.move_to(100)
        bench.expose()
        self.assertAlmostEqual(bench.truths[0].focus_um, 150)

    def test_one_seed_is_one_individual(self) -> None:
        for key, specimen in SPECIMENS.items():
            frames = []
            for seed in (1, 1, 2):
                bench = SimulatedStand(specimen, OPTICS, SENSOR, near_um=0, seed=seed)
                bench.move_to(50)
                frames.append(exposed(bench))
            with self.subTest(key=key):
                np.testing.assert_array_equal(frames[0], frames[1])
                self.assertGreater(np.abs(frames[0] - frames[2]).mean(), 1.0)

    def test_depths_are_as_the_specimen_says(self) -> None:
        for key, specimen in SPECIMENS.items():
            grid = Grid.centred(300, 200, specimen.width_um / 300)
            depth = specimen.build(grid, 1).sharp_depth_um()
            with self.subTest(key=key):
                self.assertGreaterEqual(float(depth.min()), 0.0)
                self.assertLessEqual(float(depth.max()), specimen.depth_um + 1e-3)

    def test_the_ruled_slide_and_the_ramp_are_as_they_say(self) -> None:
        bench = SimulatedStand(SPECIMENS["ruled-slide"], OPTICS, SENSOR, near_um=0, seed=3, wobble=STILL)
        bench.move_to(0)
        row = exposed(bench).astype(np.float64).mean(axis=2)[SENSOR.height_px // 2]
        dark = row < (row.min() + row.max()) / 2
        # A line every 20 µm across the field, give or take those at the edges.
        lines = int(np.count_nonzero(dark[1:] & ~dark[:-1]))
        self.assertAlmostEqual(lines, OPTICS.field_mm[0] * 1e3 / RULING_UM, delta=3)
        grid = Grid.centred(300, 200, 2.0)
        depth = SPECIMENS["focus-ramp"].build(grid, 1).sharp_depth_um()
        slope = np.degrees(np.arctan(np.diff(depth, axis=1) / 2.0))
        np.testing.assert_allclose(slope, RAMP_SLOPE_DEG, atol=0.1)

    def test_truth_matrices_say_where_the_picture_lies(self) -> None:
        bench = SimulatedStand(flat(0), OPTICS, SENSOR, near_um=0, seed=1, wobble=Wobble(0, 3, 0, 0, 0, 0))
        bench.move_to(0)
        first = exposed(bench)
        bench.move_to(0)
        second = exposed(bench)
        shift = bench.truths[1].matrix[:, 2] - bench.truths[0].matrix[:, 2]
        grey = [cv2.cvtColor(f.astype(np.float32), cv2.COLOR_RGB2GRAY) for f in (first, second)]
        found, _ = cv2.phaseCorrelate(grey[1], grey[0], cv2.createHanningWindow((256, 192), cv2.CV_32F))
        np.testing.assert_allclose(found, shift, atol=0.15)


if __name__ == "__main__":
    unittest.main()
