"""Surfaces given by a formula, shot and merged as a technician would: what is measured on them is known exactly."""

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import no_progress
from amber_ladder.core.optics import InfinityObjective, Rig, Sensor, resolve
from amber_ladder.core.planning import Rail, Wanted, plan_ladder
from amber_ladder.core.registration import inverse
from amber_ladder.simulated.scene import Grid, Scene
from amber_ladder.simulated.specimens import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import blend, lit, noise, solid
from amber_ladder.simulated.stand import SimulatedStand
from amber_ladder.simulated.wobble import Wobble
from amber_ladder.work.on_disk.merge_settings import MergeSettings
from amber_ladder.work.on_disk.merging import merge_folder

Double = NDArray[np.float64]
Surface = Callable[[Any, Any], Double]
"""Depth in µm at true places (µm, the middle of the field at 0)."""

_DEEPEST_UM = 470.0
_PALE, _DARK = (0.62, 0.58, 0.5), (0.16, 0.13, 0.1)
BALL_UM, BALL_TOP_UM = 520.0, 40.0
COIN_UM, COIN_RISE = 240.0, 0.45
COIN_ASLANT = float(np.hypot(1.0, COIN_RISE))
RULED_UM = 50.0
PIT_UM, PIT_DEEP_UM = 150.0, 170.0
ROUGH_SQ_UM = 9.0
FACES = ((0.0, 0.75), (0.65, -0.375), (-0.65, -0.375))
"""Slopes (along x, along y) of the three faces of a crystal that meet in its tip."""


def plane(x: Any, y: Any) -> Double:
    """Tilted, from left to right most."""
    return np.asarray(225.0 + 0.42 * x + 0.15 * y, np.float64)


def ramp(x: Any, y: Any) -> Double:
    """45° over 400 µm, between two levels."""
    return np.asarray(np.clip(235.0 + x, 35.0, 435.0) + 0.0 * y, np.float64)


def ball(x: Any, y: Any) -> Double:
    """A cap of a sphere of BALL_UM radius on level ground."""
    inside = np.clip(BALL_UM**2 - np.square(x) - np.square(y), (BALL_UM - 400.0) ** 2, None)
    return np.asarray(BALL_TOP_UM + BALL_UM - np.sqrt(inside), np.float64)


def step(x: Any, y: Any) -> Double:
    """Two levels, one 160 µm below the other."""
    return np.asarray(np.where(np.asarray(x) + 0.2 * np.asarray(y) < 20.0, 120.0, 280.0), np.float64)


def groove(x: Any, y: Any) -> Double:
    """A groove with sloping sides across tilted ground."""
    away = np.abs(np.asarray(x) * 0.94 + np.asarray(y) * 0.34)
    return np.asarray(120.0 + 0.1 * np.asarray(y) + 190.0 * np.clip((190.0 - away) / 130.0, 0.0, 1.0), np.float64)


def pit(x: Any, y: Any) -> Double:
    """A round pit with a soft rim in tilted ground: its volume is π a² d / 3."""
    r2 = (np.square(x) + np.square(y)) / PIT_UM**2
    return np.asarray(140.0 + 0.2 * np.asarray(x) + PIT_DEEP_UM * np.clip(1.0 - r2, 0.0, None) ** 2, np.float64)


def faces(x: Any, y: Any) -> Double:
    """Three faces of a crystal, which meet in a tip that points at the camera."""
    return np.asarray(40.0 + np.maximum.reduce([a * np.asarray(x) + b * np.asarray(y) for a, b in FACES]), np.float64)


def rough(x: Any, y: Any) -> Double:
    """Tilted ground, rough by ROUGH_SQ_UM (rms) in waves of 60 to 140 µm."""
    random = np.random.default_rng(5)
    waves = np.zeros(np.broadcast(x, y).shape)
    for _ in range(24):
        length, turn, phase = random.uniform(60, 140), random.uniform(0, np.pi), random.uniform(0, 2 * np.pi)
        waves += np.cos(2 * np.pi / length * (np.cos(turn) * np.asarray(x) + np.sin(turn) * np.asarray(y)) + phase)
    return np.asarray(230.0 + 0.2 * np.asarray(x) + ROUGH_SQ_UM * waves / np.sqrt(12.0), np.float64)


def ruled(x: Any, y: Any) -> Double:
    """A ruled plate, tilted across its lines."""
    return np.asarray(225.0 + 0.42 * x + 0.0 * np.asarray(y), np.float64)


def coin(x: Any, y: Any) -> Double:
    """A disk of COIN_UM radius that lies aslant on ground far below it."""
    return np.asarray(np.where(np.hypot(x, y * COIN_ASLANT) <= COIN_UM, 180.0 + COIN_RISE * np.asarray(y), 430.0))


def coin_paint(x: Any, y: Any) -> Double:
    """Pale against the ground."""
    return np.asarray(np.where(np.hypot(x, y * COIN_ASLANT) <= COIN_UM, 0.65, 0.0), np.float64)


def ruled_paint(x: Any, _y: Any) -> Double:
    """Dark lines along y, one every RULED_UM along a surface that is tilted as ``ruled``."""
    along = np.asarray(x) * float(np.hypot(1.0, 0.42)) / RULED_UM
    return np.asarray(0.65 * (np.abs(along - np.rint(along)) > 0.12), np.float64)


OF_KNOWN_SIZE: dict[str, Surface] = {"coin": coin, "ruled": ruled}
"""Things that give a picture its scale."""
PAINTED: dict[str, Surface] = {"coin": coin_paint, "ruled": ruled_paint}
SURFACES: dict[str, Surface] = {
    "plane": plane, "ramp": ramp, "ball": ball, "step": step, "groove": groove, "pit": pit, "faces": faces,
    "rough": rough,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Conditions:
    """How it was shot: what the bench does, and in what the specimen lies."""

    wobble: Wobble = field(default_factory=Wobble)
    medium_index: float = 1.0


CONDITIONS = {
    "usual": Conditions(),
    "perspective": Conditions(Wobble(breathing_per_mm=0.02)),
    "noisy": Conditions(Wobble(full_well=2500.0, read_noise=8.0)),
    "medium": Conditions(medium_index=1.33),
}


def _built(surface: Surface, paint: Surface | None) -> Callable[[Grid, int], Scene]:
    def build(grid: Grid, seed: int) -> Scene:
        random = np.random.default_rng([seed, 9])
        depth = np.asarray(surface(grid.x_um, grid.y_um), np.float32)
        amount = np.clip(0.5 + 0.5 * noise(grid, 40.0, random), 0, 1)
        if paint is not None:
            amount = np.clip(0.35 * amount + np.asarray(paint(grid.x_um, grid.y_um), np.float32), 0, 1)
        rgb = lit(blend(_DARK, _PALE, np.asarray(amount, np.float32)), depth, grid.pixel_um)
        return Scene((solid(rgb, np.ones_like(depth), depth),))

    return build


class Subject:
    """A surface that was shot and merged into a folder, and where its true places lie in the merged picture.

    The picture is ``um_per_px`` fine. ``index_error`` is by how much (a share) the index is wrong that depths were
    computed with.
    """

    def __init__(
        self, name: str, conditions: Conditions, seed: int, folder: Path, *, index_error: float = 0.0,
        size_px: tuple[int, int] = (800, 640),
    ) -> None:  # fmt: skip
        self.surface, self._conditions = {**SURFACES, **OF_KNOWN_SIZE}[name], conditions
        sensor = Sensor(*size_px, 5.0)
        self.rig = Rig(sensor, InfinityObjective(5.0, 0.14, 200, 200), medium_index=conditions.medium_index)
        optics = resolve(self.rig)
        self.um_per_px = optics.pixel_um
        specimen = SimulatedSpecimen(name, name, "test", 800.0, _DEEPEST_UM, _built(self.surface, PAINTED.get(name)))
        wanted = Wanted(near_um=0, sharp_um=optics.sharp_depth_um.total, far_um=_DEEPEST_UM)
        ladder = plan_ladder(optics, wanted, rail=Rail(2.5))
        stand = SimulatedStand(specimen, optics, sensor, near_um=0, seed=seed, wobble=conditions.wobble)
        frames = folder / "frames"
        frames.mkdir(parents=True)
        positions = {}
        for number, position_um in enumerate(ladder.positions_um):
            stand.move_to(position_um)
            (frames / f"f{number:03d}.jpg").write_bytes(stand.expose().content)
            positions[f"f{number:03d}.jpg"] = position_um * conditions.medium_index * (1.0 + index_error)
        self.folder = folder / "merge"
        settings = MergeSettings(positions_um=positions, rig=self.rig)
        self.report = merge_folder(frames, self.folder, settings, no_progress)
        reference = int(self.report["reference_frame"][1:4])
        self._matrix = stand.truths[reference].matrix
        self.first_um = stand.truths[int(self.report["frames_used"][0][1:4])].focus_um
        self._margin = np.array([(side * 0.03) // 1 + 12 for side in size_px])
        self._size = np.array(size_px)

    def px(self, x_um: Any, y_um: Any) -> Double:
        """Where true places (µm) lie in the merged picture, (N, 2) px."""
        x, y = np.broadcast_arrays(np.atleast_1d(np.asarray(x_um, np.float64)), np.asarray(y_um, np.float64))
        depth = self.surface(x, y)
        grown = 1.0 + self._conditions.wobble.breathing_per_mm / 1e3 / self._conditions.medium_index * depth
        middle = (self._size + 2 * self._margin - 1) / 2.0
        scene = np.column_stack([x / grown, y / grown]) / self.um_per_px + middle
        turned = inverse(self._matrix)
        return np.asarray(scene @ turned[:, :2].T + turned[:, 2], np.float64)
