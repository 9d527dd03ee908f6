"""One large simulated field, cut into tiles of known places, brightness and depth."""

from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import encode_srgb
from amber_ladder.core.optics import InfinityObjective, Rig, Sensor, resolve
from amber_ladder.core.tiles import Overlap, Perspective, Placed, depth_around, even_depths, match, place, with_depths
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.simulated.view import SpecimenView

SHAPE = (300, 420)
GRID, OVERLAP = 4, 0.22
TURN_DEG, OFF_PX, GROWN = 0.12, 9.0, 0.001
_MIDDLE_UM = 300.0
_SAME_UM = 3.0  # apart: where one sees past an edge and the other does not, two places are compared


class Whole:
    """One large field, and tiles of it that lie a little off, turned, grown, brighter or darker, and deeper."""

    def __init__(self, specimen: str, seed: int) -> None:
        random = np.random.default_rng(seed)
        height, width = (round(side * (1 + (GRID - 1) * (1 - OVERLAP)) + 60) for side in SHAPE)
        rig = Rig(Sensor(width, height, 6.0), InfinityObjective(5, 0.14, 200, 200))
        view = SpecimenView(specimen_for(specimen), resolve(rig), rig.sensor, seed)
        rest = view.matrix(np.zeros(2), 0.0, 1.0)
        self.light = np.clip(view.frame(view.sharp(), rest), 0, 1).astype(np.float32)
        self.depth = np.asarray(view.frame(view.scene.sharp_depth_um(), rest, cv2.INTER_NEAREST), np.float32)
        self.said = np.array(
            [
                (30 + c * SHAPE[1] * (1 - OVERLAP), 30 + r * SHAPE[0] * (1 - OVERLAP))
                for r in range(GRID)
                for c in range(GRID)
            ]
        )
        self.matrices, self.pictures, self.depths, self.deeper = [], [], [], random.uniform(-80, 80, GRID**2)
        self.gains = np.exp(random.normal(0, 0.06, GRID**2))
        for n, said in enumerate(self.said):
            turn = np.deg2rad(random.uniform(-TURN_DEG, TURN_DEG))
            grown = 1 + random.uniform(-GROWN, GROWN)
            rotation = grown * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
            centre = np.array([SHAPE[1] - 1, SHAPE[0] - 1]) / 2
            middle = said + centre + random.uniform(-OFF_PX, OFF_PX, 2)
            matrix = np.column_stack([rotation, middle - rotation @ centre])
            self.matrices.append(matrix)
            size, inverse = (SHAPE[1], SHAPE[0]), cv2.WARP_INVERSE_MAP
            light = cv2.warpAffine(self.light, matrix, size, flags=cv2.INTER_LANCZOS4 | inverse)
            noisy = light * self.gains[n] + random.normal(0, 0.004, light.shape)
            self.pictures.append(np.rint(255 * encode_srgb(np.clip(noisy, 0, 1).astype(np.float32))).astype(np.uint8))
            depth = cv2.warpAffine(self.depth, matrix, size, flags=cv2.INTER_NEAREST | inverse)
            self.depths.append((depth + np.float32(self.deeper[n])).astype(np.float32))

    def overlaps(self) -> list[Overlap]:
        """What neighbours show alike."""
        greys = [np.asarray(cv2.cvtColor(one, cv2.COLOR_RGB2GRAY), np.uint8) for one in self.pictures]
        pairs = [(n, n + 1) for n in range(GRID**2) if n % GRID < GRID - 1]
        pairs += [(n, n + GRID) for n in range(GRID * (GRID - 1))]
        return [Overlap(i, j, match(greys[i], greys[j], self.said[j] - self.said[i], 40.0)) for i, j in pairs]

    def seams_px(self, found: Placed, overlaps: list[Overlap]) -> list[float]:
        """How far the same true points lie apart over each seam, px."""
        off = []
        for one in overlaps:
            first, second = (np.vstack([self.matrices[n], [0, 0, 1]]) for n in (one.first, one.second))
            corner = np.maximum(self.matrices[one.first][:, 2], self.matrices[one.second][:, 2])
            far = np.minimum(*(
                self.matrices[n][:, :2] @ np.array([SHAPE[1] - 1, SHAPE[0] - 1]) + self.matrices[n][:, 2]
                for n in (one.first, one.second)
            ))  # fmt: skip
            shares = np.stack(np.meshgrid(np.linspace(0.1, 0.9, 7), np.linspace(0.1, 0.9, 7)), axis=-1).reshape(-1, 2)
            true = np.column_stack([corner + shares * (far - corner), np.ones(49)])
            at = [
                (np.linalg.inv(own) @ true.T)[:2].T @ found.matrices[n][:, :2].T + found.matrices[n][:, 2]
                for own, n in ((first, one.first), (second, one.second))
            ]
            off.append(float(np.sqrt(((at[0] - at[1]) ** 2).sum(axis=1).mean())))
        return off


class Seen:
    """Tiles as merges give them that each see the specimen from above their own middle, and have drifted in depth.

    What lies a µm deeper is smaller by ``growth`` about the middle of each tile. Merges err: a tile's deep places are
    turned and shifted against its near ones by ``aligned_px`` at its corners.
    """

    def __init__(
        self, specimen: str, seed: int, *, grid: int = 3, per_mm: float = 0.02, aligned_px: float = 1.0
    ) -> None:
        random = np.random.default_rng(seed)
        rig = Rig(Sensor(SHAPE[1], SHAPE[0], 6.0), InfinityObjective(5, 0.14, 200, 200))
        optics = resolve(rig)
        step = np.array([SHAPE[1], SHAPE[0]]) * (1 - OVERLAP)
        self.grid, self.growth, self.pixel_um = grid, per_mm / 1e3, optics.pixel_um
        self.said = np.array([(c * step[0], r * step[1]) for r in range(grid) for c in range(grid)])
        self.at = self.said - self.said.mean(axis=0) + random.uniform(-OFF_PX / 2, OFF_PX / 2, (grid**2, 2))
        self.deeper = random.uniform(-80, 80, grid**2)
        self.pictures: list[NDArray[np.uint8]] = []
        self.depths: list[NDArray[np.float32]] = []
        self.err = random.normal(0, aligned_px, (grid**2, 3)) * [1, 1, 1 / np.hypot(*SHAPE) * 2]
        for n, at in enumerate(self.at):
            aside = (float(at[0] * self.pixel_um), float(at[1] * self.pixel_um))
            view = SpecimenView(specimen_for(specimen), optics, rig.sensor, seed, growth_per_mm=per_mm, aside_um=aside)
            rest = view.matrix(np.zeros(2), 0.0, 1.0)
            light = np.clip(view.frame(view.sharp(), rest), 0, 1).astype(np.float32)
            depth = np.asarray(view.frame(view.scene.sharp_depth_um(), rest, cv2.INTER_NEAREST), np.float32)
            u, v = self._erred(n, depth)
            moved = cv2.remap(light, u, v, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT)
            depth = np.asarray(cv2.remap(depth, u, v, cv2.INTER_NEAREST, borderMode=cv2.BORDER_REFLECT), np.float32)
            noisy = moved + random.normal(0, 0.004, moved.shape)
            self.pictures.append(np.rint(255 * encode_srgb(np.clip(noisy, 0, 1).astype(np.float32))).astype(np.uint8))
            self.depths.append((depth + np.float32(self.deeper[n])).astype(np.float32))

    def laid(self, seen: bool = True) -> tuple[Placed, list[float]]:
        """Where they are found to lie, with what is known of perspective or without; and what seams are off, px."""
        greys = [np.asarray(cv2.cvtColor(one, cv2.COLOR_RGB2GRAY), np.uint8) for one in self.pictures]
        pairs = [(n, n + 1) for n in range(self.grid**2) if n % self.grid < self.grid - 1]
        pairs += [(n, n + self.grid) for n in range(self.grid * (self.grid - 1))]
        overlaps = [
            Overlap(i, j, match(greys[i], greys[j], self.said[j] - self.said[i], 25.0,
                                partial(depth_around, self.depths[i]) if seen else None))
            for i, j in pairs
        ]  # fmt: skip
        added, _, _ = even_depths(self.depths, overlaps)
        ends = [np.quantile(one, (0.02, 0.98)) + more for one, more in zip(self.depths, added, strict=True)]
        low, high = min(one[0] for one in ends), max(one[1] for one in ends)
        at_um, told = float(low + high) / 2, None
        if seen:
            # As merges tell it: roughly.
            told = Perspective(0.8 * self.growth, 4e-6, float(high - low) / 2, np.ones(self.grid**2))
            overlaps = with_depths(overlaps, self.depths, added, at_um)
        found = place(SHAPE, self.said, overlaps, told)
        return found, self._seams_px(found, overlaps, added, at_um)

    def _erred(self, n: int, depth: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        y, x = np.mgrid[0 : SHAPE[0], 0 : SHAPE[1]].astype(np.float32)
        z = (depth - _MIDDLE_UM) / _MIDDLE_UM
        dx, dy, turn = self.err[n].astype(np.float32)
        return (
            x + z * (dx - turn * (y - SHAPE[0] / 2)), y + z * (dy + turn * (x - SHAPE[1] / 2)),
        )  # fmt: skip

    def _seams_px(
        self, found: Placed, overlaps: list[Overlap], added: NDArray[np.float64], at_um: float
    ) -> list[float]:
        """How far the same true places of the specimen lie apart in the whole over each seam, px (RMS)."""
        off = []
        for one in overlaps:
            assert one.match is not None
            low, high = (f(self.at[one.first], self.at[one.second]) for f in (np.maximum, np.minimum))
            half = np.array([SHAPE[1], SHAPE[0]]) / 2
            shares = np.stack(np.meshgrid(np.linspace(0.1, 0.9, 9), np.linspace(0.1, 0.9, 9)), axis=-1).reshape(-1, 2)
            places = (low - half) + shares * ((high + half) - (low - half))  # px of the specimen
            (first, z), (second, other) = (self._whole(n, places, found, added, at_um) for n in (one.first, one.second))
            apart = np.linalg.norm(first - second, axis=1)[np.abs(z - other) < _SAME_UM]
            off.append(float(np.sqrt(np.mean(apart**2))))
        return off

    def _whole(
        self, n: int, places: NDArray[np.float64], found: Placed, added: NDArray[np.float64], at_um: float
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Where places (N, 2) of the specimen that a tile shows come to lie in the whole, and their true depths."""
        centre = np.array([(SHAPE[1] - 1) / 2, (SHAPE[0] - 1) / 2])
        p = places - self.at[n] + centre
        for _ in range(6):
            z = self._depth_at(n, p)
            grown = (places - self.at[n]) / (1 + self.growth * z)[:, None] + centre
            dx, dy, turn = self.err[n]
            share = ((z - _MIDDLE_UM) / _MIDDLE_UM)[:, None]
            p = grown - share * np.column_stack([
                dx - turn * (grown[:, 1] - SHAPE[0] / 2), dy + turn * (grown[:, 0] - SHAPE[1] / 2),
            ])  # fmt: skip
        true = self._depth_at(n, p)
        deep = (true + self.deeper[n] + added[n] - at_um)[:, None, None]
        matrix = found.matrices[n] + deep * found.deeper[n]
        return np.einsum("nij,nj->ni", matrix[:, :, :2], p) + matrix[:, :, 2], true

    def _depth_at(self, n: int, p: NDArray[np.float64]) -> NDArray[np.float64]:
        x, y = (np.clip(np.rint(p[:, axis]).astype(int), 0, SHAPE[1 - axis] - 1) for axis in (0, 1))
        return np.asarray(self.depths[n][y, x] - self.deeper[n], np.float64)
