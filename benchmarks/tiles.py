"""Tiles laid together: how near to the truth, how long, and in how much memory."""

import json
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median
from typing import Any

import cv2
import numpy as np
import tifffile

from amber_ladder.core.frames import no_progress
from amber_ladder.core.tiles import place
from amber_ladder.formats.results import write_composite, write_depth, write_json
from amber_ladder.formats.tile_set_json import TileSetJson
from amber_ladder.work.on_disk.laying import lay_tiles
from benchmarks.tiled import GRID, SHAPE, Seen, Whole

_SPECIMENS = ("wulfenite", "jewel-wasp", "fern-sporangia", "garnet", "lacewing-eyes", "fluorite")
_SIDES = (3000, 2000)
_OVERLAP = 0.2
_GRIDS = (2, 4)
_RUNS = 3


def main() -> None:
    """Print the table."""
    for specimen in _SPECIMENS:
        made = Whole(specimen, 7)
        overlaps = made.overlaps()
        found = place(SHAPE, made.said, overlaps)
        off = made.seams_px(found, overlaps)
        centre = np.array([SHAPE[1] - 1, SHAPE[0] - 1]) / 2
        true, laid = (np.array([m[:, :2] @ centre + m[:, 2] for m in some]) for some in (made.matrices, found.matrices))
        pairs = [(i, j) for i in range(GRID**2) for j in range(i)]
        wrong = [abs(np.hypot(*(laid[i] - laid[j])) / np.hypot(*(true[i] - true[j])) - 1) for i, j in pairs]
        print(
            f"{specimen}, {GRID} × {GRID}: seams {median(off):.2f} px, at most {max(off):.2f} (to hold: 0.5); lengths "
            f"across them wrong by at most {100 * max(wrong):.3f} % (to hold: 0.2 %); {sum(found.tied)} tied"
        )
    for specimen in _SPECIMENS:
        made_seen = Seen(specimen, 7)
        off, without = (made_seen.laid(seen)[1] for seen in (True, False))
        print(
            f"{specimen}, 3 × 3, each seen from above its own middle (2 % a mm): seams {median(off):.2f} px, at most "
            f"{max(off):.2f}; as if all were flat {median(without):.2f}, at most {max(without):.2f}"
        )
    with tempfile.TemporaryDirectory() as scratch:
        for grid in _GRIDS:
            names = _write(Path(scratch) / str(grid), grid)
            runs = [_apart(Path(scratch) / str(grid)) for _ in range(_RUNS + 1)][1:]
            floor, seconds, mb = (median(run[key] for run in runs) for key in ("floor", "seconds", "mb"))
            print(
                f"{grid} × {grid} tiles of 6 MP ({len(names)}): {seconds / floor:.1f} × reading and writing them once "
                f"({seconds:.1f} s), at most {mb:.0f} MB"
            )


def _write(folder: Path, grid: int) -> list[str]:
    width, height = _SIDES
    whole = [round(side * (1 + (grid - 1) * (1 - _OVERLAP))) for side in (height, width)]
    random = np.random.default_rng(3)
    texture = np.zeros((*whole, 3), np.float32)
    for cell, strength in ((4, 14), (16, 22), (96, 30)):
        small = random.normal(0, strength, (whole[0] // cell + 2, whole[1] // cell + 2, 3)).astype(np.float32)
        texture += cv2.resize(small, (whole[1], whole[0]), interpolation=cv2.INTER_CUBIC)
    picture = np.clip(texture + 120, 0, 255).astype(np.uint8)
    names = []
    for row in range(grid):
        for column in range(grid):
            x, y = round(column * width * (1 - _OVERLAP)), round(row * height * (1 - _OVERLAP))
            name = f"{row}{column}"
            (folder / name).mkdir(parents=True)
            write_composite(folder / name / "composite.tif", picture[y : y + height, x : x + width].copy())
            write_depth(folder / name / "depth.tif", np.zeros((height, width), np.float32), unit="µm")
            frame = {"file": "f.jpg", "matrix": [[1, 0, 0], [0, 1, 0]]}
            crop = {"x": 0, "y": 0, "width": width, "height": height}
            write_json(folder / name / "report.json", {"registration": [frame], "crop": crop})
            names.append(name)
    write_json(folder / "tiles.json", {"results": names, "grid": {"columns": grid, "overlap": _OVERLAP}})
    return names


def _apart(folder: Path) -> dict[str, float]:
    told = subprocess.run(
        [sys.executable, "-m", "benchmarks.tiles", str(folder)], capture_output=True, text=True, check=True
    )
    return dict(json.loads(told.stdout.splitlines()[-1]))


def _lay(folder: Path) -> dict[str, Any]:
    entry = TileSetJson.model_validate_json((folder / "tiles.json").read_text())

    def copied() -> None:
        for name in entry.results:
            for file in ("composite.tif", "depth.tif"):
                tifffile.imwrite(folder / "copy.tif", tifffile.imread(folder / name / file))

    floor = _timed(copied)
    peak, done = [0.0], threading.Event()

    def watch() -> None:
        # What lies mapped on the disk is given back at need: what does not is counted.
        while not done.wait(0.02):
            told = Path("/proc/self/status").read_text().split("RssAnon:")[1]
            peak[0] = max(peak[0], int(told.split()[0]) / 1e3)

    watcher = threading.Thread(target=watch)
    watcher.start()
    with tempfile.TemporaryDirectory() as out:
        seconds = _timed(lambda: lay_tiles(entry, folder, Path(out) / "whole", no_progress))
    done.set()
    watcher.join()
    return {"floor": floor, "seconds": seconds, "mb": peak[0]}


def _timed(work: Callable[[], Any]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


if __name__ == "__main__":
    print(json.dumps(_lay(Path(sys.argv[1]))))
