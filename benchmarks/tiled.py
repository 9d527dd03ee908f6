"""One large simulated field, cut into tiles of known places, brightness and depth."""

import cv2
import numpy as np

from amber_ladder.core.colour import encode_srgb
from amber_ladder.core.optics import InfinityObjective, Rig, Sensor, resolve
from amber_ladder.core.tiles import Overlap, Placed, match
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.simulated.view import SpecimenView

SHAPE = (300, 420)
GRID, OVERLAP = 4, 0.22
TURN_DEG, OFF_PX, GROWN = 0.12, 9.0, 0.001


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
