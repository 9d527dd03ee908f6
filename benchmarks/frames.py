"""Frames to measure with: 12 MP JPEGs of a simulated stack."""

from pathlib import Path

import cv2
import numpy as np
import tifffile

from amber_ladder.core.optics import InfinityObjective, Rig, Sensor, resolve
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.simulated.stand import SimulatedStand

WIDTH_PX, HEIGHT_PX, COUNT = 4000, 3000, 20
STEP_UM = 22.5
LARGE_PX = (8256, 6192)


def shoot(folder: Path, size_px: tuple[int, int] = (WIDTH_PX, HEIGHT_PX)) -> None:
    """Write 20 frames of 12 MP, every STEP_UM.

    Rendered at half the size, enlarged, and given a sensor's noise, so that the files are as hard to decode as real
    ones but do not take minutes to make.
    """
    sensor = Sensor(size_px[0] // 2, size_px[1] // 2, 4.0)
    optics = resolve(Rig(sensor, InfinityObjective(5, 0.14, 200, 200)))
    bench = SimulatedStand(specimen_for("moss-capsule"), optics, sensor, near_um=0, seed=1)
    random = np.random.default_rng(1)
    for i in range(COUNT):
        bench.move_to(STEP_UM * i)
        small = cv2.imdecode(np.frombuffer(bench.expose().content, np.uint8), cv2.IMREAD_COLOR)
        large = cv2.resize(small, size_px, interpolation=cv2.INTER_CUBIC).astype(np.float32)  # type: ignore[arg-type]
        large += random.standard_normal(large.shape, dtype=np.float32) * 2.0
        frame = np.clip(large, 0, 255).astype(np.uint8)
        cv2.imwrite(str(folder / f"frame_{i:03d}.jpg"), frame, [cv2.IMWRITE_JPEG_QUALITY, 92])


def shoot_large(folder: Path) -> None:
    """Write 8 frames of 50 MP and 16 bits, rendered at a quarter of the size."""
    sensor = Sensor(LARGE_PX[0] // 4, LARGE_PX[1] // 4, 4.0)
    bench = SimulatedStand(
        specimen_for("moss-capsule"), resolve(Rig(sensor, InfinityObjective(5, 0.14, 200, 200))), sensor,
        near_um=0, seed=1,
    )  # fmt: skip
    random = np.random.default_rng(1)
    for i in range(8):
        bench.move_to(22.5 * i)
        small = cv2.imdecode(np.frombuffer(bench.expose().content, np.uint8), cv2.IMREAD_COLOR_RGB)
        large = cv2.resize(small, LARGE_PX, interpolation=cv2.INTER_CUBIC).astype(np.uint16) * np.uint16(250)  # type: ignore[arg-type]
        large += random.integers(0, 1000, large.shape, np.uint16)
        tifffile.imwrite(folder / f"frame_{i:03d}.tif", large, photometric="rgb")


def doubled(source: Path, folder: Path) -> None:
    """The same stack there and back: twice the frames, neighbours still alike."""
    names = sorted(path.name for path in source.iterdir())
    for i, name in enumerate([*names, *reversed(names)]):
        (folder / f"frame_{i:03d}.jpg").symlink_to(source / name)
