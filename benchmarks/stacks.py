"""Simulated stacks with known truth, to judge merges by: kinds of surfaces, each with what goes wrong on a bench."""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.fusion import Survey
from amber_ladder.core.optics import InfinityObjective, Optics, Rig, Sensor, resolve
from amber_ladder.core.planning import Rail, Wanted, plan_ladder
from amber_ladder.core.registration import compose, inverse
from amber_ladder.simulated.scene import Grid, Scene
from amber_ladder.simulated.specimens import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import blend, hairs, lit, noise, solid
from amber_ladder.simulated.stand import SimulatedStand
from amber_ladder.simulated.wobble import FrameTruth, Wobble
from tests.support.stacks import MemoryFrames

Float = NDArray[np.float32]
SHAKY = Wobble(drift_px=1.5, turn_deg=0.02, flicker=0.03)
NOISY = Wobble(full_well=1500.0, read_noise=12.0)
_DEEPEST_UM = 470.0
_LEAST_SHARP = 0.01
_PALE, _DARK = (0.62, 0.58, 0.5), (0.16, 0.13, 0.1)


def _textured(grid: Grid, depth_um: Float, random: np.random.Generator, feature_um: float = 60.0) -> Float:
    amount = np.clip(0.5 + 0.5 * noise(grid, feature_um, random), 0, 1)
    return lit(blend(_DARK, _PALE, np.asarray(amount, np.float32)), depth_um, grid.pixel_um)


def _dome(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 1])
    radius = np.hypot(grid.x_um, grid.y_um * 1.15) / 480.0
    depth = 440.0 * (1.0 - np.sqrt(np.clip(1.0 - np.clip(radius, 0, 0.97) ** 2, 0, 1)))
    depth = np.asarray(30.0 + depth + 4.0 * noise(grid, 90.0, random), np.float32)
    return Scene((solid(_textured(grid, depth, random), np.ones_like(depth), depth),))


def _flake(grid: Grid, seed: int) -> Scene:
    """Flat, steadily tilted, full of points that outshine what a sensor holds."""
    random = np.random.default_rng([seed, 2])
    span = float(grid.x_um.max() - grid.x_um.min())
    depth = np.asarray(230.0 + 400.0 * grid.x_um / span + 60.0 * grid.y_um / span, np.float32)
    rgb = _textured(grid, depth * 0, random, 40.0) * 0.8
    for _ in range(900):
        y, x = random.integers(2, grid.x_um.shape[0] - 2), random.integers(2, grid.x_um.shape[1] - 2)
        rgb[y : y + 2, x : x + 2] += np.float32(random.exponential(2.5))
    return Scene((solid(rgb, np.ones_like(depth), depth),))


def _crystal(grid: Grid, seed: int) -> Scene:
    """Planes of many slopes that meet in edges, with steps between some of them."""
    random = np.random.default_rng([seed, 3])
    depth = np.full(grid.x_um.shape, 420.0, np.float32)
    shade = np.full(grid.x_um.shape, 0.35, np.float32)
    for _ in range(11):
        at = random.uniform(-330, 330, 2)
        slope = random.uniform(-0.8, 0.8, 2)
        half = random.uniform(90, 230)
        turn = random.uniform(0, np.pi)
        u = (grid.x_um - at[0]) * np.cos(turn) + (grid.y_um - at[1]) * np.sin(turn)
        v = -(grid.x_um - at[0]) * np.sin(turn) + (grid.y_um - at[1]) * np.cos(turn)
        inside = (np.abs(u) < half) & (np.abs(v) < 0.7 * half)
        face = random.uniform(60, 330) + slope[0] * u + slope[1] * v
        nearer = inside & (face < depth)
        depth[nearer] = np.clip(face[nearer], 20, 460)
        shade[nearer] = random.uniform(0.2, 0.9)
    rgb = _textured(grid, depth * 0, random, 30.0) * (0.3 + shade[..., None])
    return Scene((solid(rgb, np.ones_like(depth), depth),))


def _bristles(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 4])
    depth = np.asarray(400.0 + 25.0 * noise(grid, 300.0, random), np.float32)
    ground = solid(_textured(grid, depth, random) * 0.7, np.ones_like(depth), depth)
    sheets = [ground]
    for near in (300.0, 170.0, 40.0):
        roots = [(*random.uniform(-420, 420, 2), near + random.uniform(0, 100)) for _ in range(9)]
        tips = [(x + random.uniform(-350, 350), y + random.uniform(-250, 250), near + random.uniform(0, 60))
                for x, y, _ in roots]  # fmt: skip
        sheets.append(hairs(grid, roots, tips, 16.0, (0.5, 0.4, 0.22)))
    return Scene(tuple(sheets))


def _leaf(grid: Grid, seed: int) -> Scene:
    """Rolling ground with veins, pale and low in contrast."""
    random = np.random.default_rng([seed, 5])
    depth = np.asarray(240.0 + 150.0 * noise(grid, 700.0, random, octaves=2), np.float32)
    veins = np.exp(-((np.sin(grid.x_um / 45.0 + 2 * noise(grid, 300.0, random, octaves=2))) ** 2) / 0.02)
    rgb = _textured(grid, depth, random, 35.0) * np.asarray((0.5, 0.9, 0.4), np.float32)
    rgb = rgb * 0.6 + 0.35 * np.asarray(veins, np.float32)[..., None] * np.asarray((0.6, 0.8, 0.4), np.float32)
    return Scene((solid(rgb, np.ones_like(depth), np.clip(depth, 20, 460)),))


def _antennae(grid: Grid, seed: int, swung_deg: float = 0.0) -> Scene:
    """Three antennae before textured ground, of which one swings."""
    random = np.random.default_rng([seed, 6])
    depth = np.asarray(390.0 + 30.0 * noise(grid, 300.0, random), np.float32)
    ground = solid(_textured(grid, depth, random) * 0.7, np.ones_like(depth), depth)
    roots, tips = [], []
    for x in (-260.0, 0.0, 260.0):
        root = np.array([x + random.uniform(-40, 40), 280.0])
        turn = np.deg2rad(random.uniform(-25, 25) + (swung_deg if x == 0.0 else 0.0))
        tip = root + random.uniform(360, 480) * np.array([np.sin(turn), -np.cos(turn)])
        roots.append((*root, random.uniform(150, 210)))
        tips.append((*tip, random.uniform(60, 120)))
    return Scene((ground, hairs(grid, roots, tips, 30.0, (0.55, 0.42, 0.2))))


def _islands(grid: Grid, seed: int) -> Scene:
    """A smooth, plain slope, on which there are some textured patches."""
    random = np.random.default_rng([seed, 7])
    span = float(grid.x_um.max() - grid.x_um.min())
    depth = np.asarray(230.0 + 250.0 * grid.x_um / span, np.float32)
    texture = np.zeros(depth.shape, np.float32)
    for _ in range(9):
        x, y = random.uniform(-400, 400), random.uniform(-320, 320)
        texture += np.exp(-((((grid.x_um - x) ** 2 + (grid.y_um - y) ** 2) / 55.0**2) ** 2))
    plain = np.clip(texture, 0, 1) < 0.01
    amount = np.where(plain, 0.5, 0.5 + 0.4 * noise(grid, 30.0, random) * np.clip(texture, 0, 1))
    rgb = lit(blend(_DARK, _PALE, np.asarray(np.clip(amount, 0, 1), np.float32)), depth, grid.pixel_um)
    return Scene((solid(rgb, np.ones_like(depth), depth),))


@dataclass(frozen=True)
class Kind:
    """One stack of the table: what lies under the camera, and how the bench behaves."""

    build: Callable[[Grid, int], Scene]
    wobble: Wobble = field(default_factory=Wobble)
    left_out: tuple[int, ...] = ()
    faults: tuple[tuple[int, str], ...] = ()
    leading: int = 0
    moved: tuple[Callable[[Grid, int], Scene], int] | None = None  # the scene afterwards, and its first frame


KINDS: dict[str, Kind] = {
    "dome": Kind(_dome),
    "dome-shaky": Kind(_dome, SHAKY),
    "dome-leads": Kind(_dome, leading=4),
    "flake": Kind(_flake),
    "flake-shaky": Kind(_flake, SHAKY),
    "crystal": Kind(_crystal),
    "bristles": Kind(_bristles),
    "bristles-noisy": Kind(_bristles, NOISY),
    "leaf": Kind(_leaf),
    "islands-noisy": Kind(_islands, NOISY),
    "antenna": Kind(_antennae, moved=(partial(_antennae, swung_deg=9.0), 13)),
    "leaf-missing": Kind(_leaf, left_out=(9, 10, 11, 12)),
    "leaf-faults": Kind(_leaf, faults=((5, "dark"), (11, "twice"), (15, "half-lit"), (19, "shaken"))),
}


class Stack:
    """Frames of one kind of stack, and all that is true of them."""

    def __init__(self, name: str, seed: int, size_px: tuple[int, int] = (800, 640), magnification: float = 5.0) -> None:
        kind = KINDS[name]
        sensor = Sensor(*size_px, 5.0)
        self.optics: Optics = resolve(Rig(sensor, InfinityObjective(magnification, 0.14, 200, 200)))
        specimen = SimulatedSpecimen(name, name, "test", 800.0, _DEEPEST_UM, kind.build)
        wanted = Wanted(near_um=0, sharp_um=self.optics.sharp_depth_um.total, far_um=specimen.depth_um)
        ladder = plan_ladder(self.optics, wanted, rail=Rail(2.5))
        self.step_um = ladder.step_um
        positions = list(ladder.positions_um)
        positions = [positions[0] - self.step_um * (i + 1) for i in reversed(range(kind.leading))] + positions
        self.positions = [one for i, one in enumerate(positions) if i not in kind.left_out]
        self.stand = SimulatedStand(specimen, self.optics, sensor, near_um=0, seed=seed, wobble=kind.wobble)
        pictures = self._shot(self.stand)
        self.stands = [self.stand]
        """Before anything moved, and after it did."""
        if kind.moved:
            build, at = kind.moved
            specimen = SimulatedSpecimen(name, name, "test", 800.0, _DEEPEST_UM, build)
            # The same chances: its frames lie where the others do.
            self.stands.append(SimulatedStand(specimen, self.optics, sensor, near_um=0, seed=seed, wobble=kind.wobble))
            pictures[at:] = self._shot(self.stands[1])[at:]
        for at, fault in kind.faults:
            pictures[at] = _spoilt(pictures, at, fault)
        self.faults = dict(kind.faults)
        self.frames = MemoryFrames(pictures)

    def _shot(self, stand: SimulatedStand) -> list[NDArray[Any]]:
        pictures = []
        for position in self.positions:
            stand.move_to(position)
            data = np.frombuffer(stand.expose().content, np.uint8)
            pictures.append(np.asarray(cv2.imdecode(data, cv2.IMREAD_COLOR_RGB), np.uint8))
        return pictures

    @property
    def truths(self) -> list[FrameTruth]:
        """What is true of each frame."""
        return self.stand.truths

    def true_matrix(self, frame: int, reference: int) -> NDArray[np.float64]:
        """Px of one frame to px of another."""
        return compose(inverse(self.truths[reference].matrix), self.truths[frame].matrix)

    def misplaced_px(self, found: Survey) -> NDArray[np.float64]:
        """How far each used frame's corners lie from where they belong in the reference frame, at most."""
        height, width = self.frames.shape
        corners = np.array([[0, width, 0, width], [0, 0, height, height], [1, 1, 1, 1]], np.float64)
        off = [matrix - self.true_matrix(frame, found.reference)
               for frame, matrix in zip(found.used, found.matrices, strict=True)]  # fmt: skip
        return np.array([np.hypot(*(one @ corners)).max() for one in off])

    def swept(self, reference: int) -> NDArray[np.bool_]:
        """Where what moved was, before or after (H, W)."""
        depths = [stand.sharp_depth_um(self.truths[reference].matrix) for stand in self.stands]
        apart = np.abs(depths[0] - depths[-1]) > 2 * self.step_um
        return np.asarray(cv2.dilate(apart.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0, np.bool_)

    def uneven(self, found: Survey) -> float:
        """Relative spread (rms) of the brightness that is left, of encoded values."""
        light = np.array([self.truths[frame].gain for frame in found.used]) ** (1 / 2.2) * np.array(found.gains)
        return float(light.std() / light.mean())

    def telling(self, found: Survey) -> NDArray[np.bool_]:
        """Which used frames truly show something sharp: the others cannot be registered well, and need not be."""
        depth = self.stand.sharp_depth_um(self.truths[found.reference].matrix)
        focus = np.array([self.truths[frame].focus_um for frame in found.used])
        within = (depth.ravel()[::7, None] > focus - self.step_um) & (depth.ravel()[::7, None] < focus + self.step_um)
        return np.asarray(within.mean(axis=0) > _LEAST_SHARP)

    def best_choice(self, reference: int) -> NDArray[np.float64]:
        """The picture of the best choice of frames: by true depth, laid by true geometry, in true brightness."""
        height, width = self.frames.shape
        focus = np.array([one.focus_um for one in self.truths])
        order = np.array([frame for frame in np.argsort(focus) if frame not in self.faults])
        depth = self.stand.sharp_depth_um(self.truths[reference].matrix)
        index = np.interp(depth, focus[order], np.arange(len(order)))
        total, weight = np.zeros((height, width, 3)), np.full((height, width), 1e-9)
        for place, frame in enumerate(order):
            gain = (self.truths[reference].gain / self.truths[frame].gain) ** (1 / 2.2)
            laid = cv2.warpAffine(
                self.frames.pictures[frame].astype(np.float32) * np.float32(gain),
                self.true_matrix(int(frame), reference), (width, height),
                flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT,
            )  # fmt: skip
            share = np.clip(1.0 - np.abs(index - place) / 0.65, 0.0, None)
            total += share[..., None] * laid
            weight += share
        return np.asarray(total / weight[..., None], np.float64)


def _spoilt(pictures: list[NDArray[Any]], at: int, fault: str) -> NDArray[Any]:
    picture = pictures[at]
    if fault == "dark":
        return np.asarray(picture // 16, np.uint8)
    if fault == "twice":
        return pictures[at - 1]
    if fault == "half-lit":
        ramp = np.linspace(0.25, 1.0, picture.shape[0])[:, None, None]
        return np.asarray(picture * ramp, np.uint8)
    smear = np.zeros((1, 13), np.float32)
    smear[:] = 1 / 13
    return np.asarray(cv2.filter2D(picture, -1, smear), np.uint8)
