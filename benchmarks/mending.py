"""What mending costs, against decoding each frame that is touched once: 200 steps on 24 MP, and one stroke's tile."""

import json
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median
from typing import Any

import cv2
import numpy as np

from amber_ladder.core.frames import no_progress
from amber_ladder.core.mending import Mended, Painted, Source, cut_patch
from amber_ladder.core.registration import IDENTITY
from amber_ladder.formats.mend_json import FromFrame, StepsJson
from amber_ladder.formats.pictures import read_picture
from amber_ladder.formats.results import write_composite, write_depth
from amber_ladder.work.on_disk.mending import mend_folder
from amber_ladder.work.on_disk.merge_result import read_merge
from benchmarks.frames import shoot

RUNS = 3
_SIZE_PX = (5656, 4242)
_FRAMES, _STEPS, _POINTS = 10, 200, 12


def prepare(scratch: Path) -> tuple[Path, Path]:
    """Ten frames of 24 MP, and the result of a merge of them: their folders."""
    shot, frames, merge = (scratch / name for name in ("shot", "frames", "merge"))
    for folder in (shot, frames, merge):
        folder.mkdir()
    shoot(shot)
    random = np.random.default_rng(2)
    placed: list[dict[str, Any]] = []
    for path in sorted(shot.iterdir())[:_FRAMES]:
        large = cv2.resize(cv2.imread(str(path)), _SIZE_PX, interpolation=cv2.INTER_CUBIC)  # type: ignore[arg-type]
        noise = random.normal(0.0, 2.0, (*_SIZE_PX[::-1], 1))
        frame = np.clip(large + noise, 0, 255).astype(np.uint8)
        cv2.imwrite(str(frames / path.name), frame, [cv2.IMWRITE_JPEG_QUALITY, 92])
        shift = random.normal(0.0, 0.3, 2)
        placed.append({"file": path.name, "matrix": [[1, 0, shift[0]], [0, 1, shift[1]]], "gain": 1.0, "depth": 0.0})
    write_composite(merge / "composite.tif", read_picture(frames / placed[0]["file"]))
    write_depth(merge / "depth.tif", np.zeros(_SIZE_PX[::-1], np.float32), unit="µm")
    (merge / "report.json").write_text(json.dumps({"registration": placed, "excluded": [], "settings": {}}))
    return frames, merge


def steps(files: list[str], count: int) -> dict[str, Any]:
    """Strokes all over the picture, from all frames in turn."""
    random = np.random.default_rng(5)
    told = []
    for at in range(count):
        start = random.uniform((300, 300), (_SIZE_PX[0] - 300, _SIZE_PX[1] - 300))
        path = start + np.cumsum(random.normal(0, 25.0, (_POINTS, 2)), axis=0)
        told.append({"kind": "from_frame", "file": files[at % len(files)], "path": path.tolist(), "radius_px": 40.0})
    return {"steps": told}


def timed(frames: Path, merge: Path) -> dict[str, float]:
    """Seconds: decoding each frame once on one thread; all steps; the tile of one more stroke, its frame decoded."""
    files = [path.name for path in sorted(frames.iterdir())]
    asked = StepsJson.model_validate(steps(files, _STEPS)).steps
    found: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as scratch:
        mend_folder(merge, asked[:3], frames, Path(scratch) / "first", no_progress)  # what compiles is not counted
        started = time.perf_counter()
        for file in files:
            read_picture(frames / file)
        found["decode"] = time.perf_counter() - started
        started = time.perf_counter()
        mend_folder(merge, asked, frames, Path(scratch) / "out", no_progress)
        found["mend"] = time.perf_counter() - started
    composite = read_merge(merge).composite
    stroke = next(step for step in asked if isinstance(step, FromFrame))
    source = read_picture(frames / stroke.file)
    started = time.perf_counter()
    brush = stroke.brush()
    bench = Mended(composite, [Painted(brush, cut_patch(Source(source, IDENTITY), composite, brush))])
    touched = [box for box in bench.boxes() if bench.is_touched(box)]
    for box in touched:
        bench.tile(box)
    found["tile"] = (time.perf_counter() - started) / len(touched)
    return found


def main(measure: Callable[[str, Path, Path], dict[str, float]]) -> None:
    """Print the ratios and the memory; ``measure`` runs one measurement in its own process."""
    with tempfile.TemporaryDirectory(prefix="amber-ladder-mending-") as holder:
        scratch = Path(holder)
        frames, _ = prepare(scratch)
        runs = [measure("mend", frames, scratch) for _ in range(RUNS)]
        floor, taken, tile_s, peak_mb = (
            median(run[key] for run in runs) for key in ("decode", "mend", "tile", "peak_mb")
        )
        print(f"floor: decoding {_FRAMES} frames of 24 MP once: {floor:.2f} s")
        print(
            f"a mend of {_STEPS} strokes from all of them: {taken / floor:.2f} × the floor ({taken:.1f} s, peak "
            f"{peak_mb:.0f} MB; to hold: 5 ×)"
        )
        print(f"a stroke's tile: {1e3 * tile_s:.0f} ms, {tile_s / floor * _FRAMES:.2f} × one frame (to hold: 300 ms)")
