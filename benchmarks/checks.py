"""What checking a folder costs, against merely decoding its files with two threads in a process that already runs."""

import tempfile
from collections.abc import Callable
from pathlib import Path
from statistics import median

import cv2
import numpy as np

from benchmarks.frames import shoot

RUNS = 3
_SMALL_PX = (1152, 864)
_TAKES = 100


def many(source: Path, folder: Path, takes: int = _TAKES) -> None:
    """Write so many takes of 20 frames of 1 MP, each a part of the 12 MP frames of ``source``, with its own noise."""
    random = np.random.default_rng(3)
    whole = [cv2.resize(cv2.imread(str(path)), (1480, 1110), interpolation=cv2.INTER_AREA)  # type: ignore[arg-type]
             for path in sorted(source.iterdir())]  # fmt: skip
    grain = [random.normal(0.0, 2.0, (_SMALL_PX[1], _SMALL_PX[0], 3)).astype(np.float32) for _ in range(8)]
    for take in range(takes):
        x, y = (int(random.integers(0, side)) for side in (1480 - _SMALL_PX[0], 1110 - _SMALL_PX[1]))
        flip = (None, 0, 1, -1)[take % 4]
        for number, picture in enumerate(whole):
            part = picture[y : y + _SMALL_PX[1], x : x + _SMALL_PX[0]]
            part = part if flip is None else cv2.flip(part, flip)
            frame = np.clip(part + grain[int(random.integers(len(grain)))], 0, 255).astype(np.uint8)
            name = f"frame_{len(whole) * take + number:04d}.jpg"
            cv2.imwrite(str(folder / name), frame, [cv2.IMWRITE_JPEG_QUALITY, 92])


def main(measure: Callable[[str, Path, Path], dict[str, float]]) -> None:
    """Print the ratios, and the memory each folder took; ``measure`` runs one measurement in its own process."""
    with tempfile.TemporaryDirectory(prefix="amber-ladder-checks-") as scratch:
        large, small = Path(scratch) / "12mp", Path(scratch) / "1mp"
        large.mkdir()
        small.mkdir()
        shoot(large)
        many(large, small)
        for name, folder in (("12 MP × 20", large), ("1 MP × 2,000", small)):
            runs = [[measure(what, folder, Path(scratch)) for what in ("decode", "check")] for _ in range(RUNS)]
            floor, taken = (median(run[at]["seconds"] for run in runs) for at in (0, 1))
            peak_mb = median(run[1]["peak_mb"] for run in runs)
            print(
                f"check, {name}: {taken / floor:.2f} × decoding ({taken:.2f} s; floor {floor:.2f} s), "
                f"peak {peak_mb:.0f} MB (to hold: 1.5 ×)",
                flush=True,
            )
