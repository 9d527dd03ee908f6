"""One measurement in a process of its own: prints seconds and peak memory in MB."""

import json
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import cv2

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import METHODS, Patch, Style, survey
from amber_ladder.formats.pictures import frames_in, read_picture
from amber_ladder.work.on_disk.checking import check_folder
from amber_ladder.work.on_disk.merge_settings import MergeSettings
from amber_ladder.work.on_disk.merging import merge_folder
from benchmarks.mending import timed


def patch(folder: Path) -> dict[str, float]:
    """Seconds for the first patch of 12 MP frames, which are decoded for it, and for the next one in each way."""
    frames, _ = frames_in(folder)
    found = survey(frames, progress=no_progress)
    height, width = frames.shape
    box = (width // 2 - 200, height // 2 - 150, 400, 300)
    Patch(frames, found, box).merged(Style("auto"))  # what compiles is not counted
    started = time.perf_counter()
    cut = Patch(frames, found, box)
    cut.merged(Style("auto"))
    taken = {"first": time.perf_counter() - started}
    for way in METHODS:
        started = time.perf_counter()
        cut.merged(Style(way))
        taken[way] = time.perf_counter() - started
    return taken


def main(what: str, folder: Path, out: Path) -> None:
    """Decode all frames on both cores, check or merge them, or only a patch of them."""
    if what == "patch":
        print(json.dumps(patch(folder)))
        return
    if what == "mend":
        taken = timed(folder, folder.parent / "merge")
    elif what == "check":
        check_folder(folder, no_progress)  # what compiles, or is loaded, is not counted
        taken = {"seconds": _timed(lambda: check_folder(folder, no_progress))}
    elif what in DECODERS:
        taken = {"seconds": _decoded(folder, DECODERS[what])}
    else:
        settings = MergeSettings(method=what)
        first, again = (_timed(lambda: merge_folder(folder, out, settings, no_progress)) for _ in range(2))
        # A worker has merged before: what it costs to load what was compiled is told apart.
        taken = {"seconds": again, "loading": first - again}
    # Not getrusage: there a child inherits the peak of the process that started it.
    print(json.dumps({**taken, "peak_mb": memory_mb("self", "VmHWM")}))


def _decoded(folder: Path, read: Callable[[Path], Any]) -> float:
    """Seconds for all frames on two threads."""

    def each() -> None:
        with ThreadPoolExecutor(max_workers=2) as pool:
            for _ in pool.map(lambda path: read(path).shape, sorted(folder.iterdir())):
                pass

    return _timed(each)


def _by_opencv(path: Path) -> Any:
    return cv2.imread(str(path))


DECODERS = {"decode": read_picture, "decode-opencv": _by_opencv}


def _timed(what: Callable[[], object]) -> float:
    started = time.perf_counter()
    what()
    return time.perf_counter() - started


def memory_mb(process: int | str, what: str) -> float:
    """A process's memory now (``VmRSS``) or at its peak (``VmHWM``), MB."""
    status = Path(f"/proc/{process}/status").read_text()
    return int(next(line for line in status.splitlines() if line.startswith(what)).split()[1]) / 1024


if __name__ == "__main__":
    main(sys.argv[1], Path(sys.argv[2]), Path(sys.argv[3]))
