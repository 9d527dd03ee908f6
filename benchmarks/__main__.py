"""``./ladder benchmark [NAME …]``: medians, as ratios to a floor of the same run."""

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from statistics import median

from benchmarks.frames import COUNT, HEIGHT_PX, WIDTH_PX, doubled, shoot, shoot_large
from benchmarks.workers import Cost, table

RUNS = 3
BOUNDS = {
    "select": "to hold: 4.0 ×", "pyramid": "to hold: 6.5 ×", "auto": "to hold: 6.5 ×", "blend": "no bound set",
}  # fmt: skip
_LIBRARIES = "import sys, numpy, cv2, numba; print('loaded', file=sys.stderr)"
_MERGE = (sys.executable, "-m", "amber_ladder", "merge", "--method", "select", "--progress")
MERGE = (*BOUNDS, "start", "patch", "memory")  # what ``merge`` stands for
NAMES = ("merge", *MERGE, "memory-large", "workers", "plan", "bench", "station", "quality", "quality-large", "look",
         "check", "sorting", "mend", "ground", "brush", "measuring", "tools", "ledger", "day", "tiles")  # fmt: skip


def measure(what: str, folder: Path, scratch: Path) -> dict[str, float]:
    """Run one measurement in its own process."""
    command = [sys.executable, "-m", "benchmarks.child", what, str(folder), str(scratch / f"out-{what}")]
    result = subprocess.run(command, capture_output=True, text=True, check=True)
    return dict(json.loads(result.stdout))


def repeated(what: str, folder: Path, scratch: Path) -> dict[str, float]:
    """Medians of several runs; the first, which may compile, is not counted."""
    measure(what, folder, scratch)
    runs = [measure(what, folder, scratch) for _ in range(RUNS)]
    return {key: median(run[key] for run in runs) for key in runs[0]}


def started(command: list[str]) -> float:
    """Seconds until a command writes its first line to stderr; it is let run to its end."""
    began = time.perf_counter()
    with subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE) as process:
        assert process.stderr is not None
        process.stderr.readline()
        taken = time.perf_counter() - began
        process.stderr.read()
    return taken


def main(names: list[str]) -> int:
    """Measure what is named, or everything; returns the exit code."""
    unknown = [name for name in names if name not in NAMES]
    if unknown:
        print(f"ladder: no benchmark is called {unknown[0]!r}: choose from {', '.join(NAMES)}", file=sys.stderr)
        return 2
    wanted = [*names, *(MERGE if "merge" in names else ())] or list(NAMES)
    for name, run in _BY_THEMSELVES.items():
        # The look before shooting is asked for as a patch, too.
        if name in wanted or (name == "look" and "patch" in names):
            run()
    if set(wanted) & {*MERGE, "workers"}:
        _merges(wanted)
    return 0


def _checks() -> None:
    from benchmarks.checks import main as check

    check(measure)


def _sorting() -> None:
    from benchmarks.sorting import main as sort

    sort()


def _mends() -> None:
    from benchmarks.mending import main as mend

    mend(measure)


def _ground() -> None:
    from benchmarks.ground import main as tell

    tell()


def _brush() -> None:
    from benchmarks.brush import measure as measure_brush  # starts a server, a worker and a browser

    floor_ms, move_ms, stroke_ms = measure_brush()
    print(f"floor: a frame of the page with nothing to draw: {floor_ms:.1f} ms")
    print(f"a move of the brush at 24 MP: {move_ms / floor_ms:.1f} × the floor ({move_ms:.0f} ms; to hold: 50 ms)")
    print(
        f"from letting it go to the computed tiles: {stroke_ms / floor_ms:.1f} × ({stroke_ms:.0f} ms; to hold: 300 ms)"
    )


def _measures() -> None:
    from benchmarks.measuring import main as judge

    judge()


def _tools() -> None:
    from benchmarks.tools import main as answer  # starts a server, a worker and a browser

    answer()


def _ledger() -> None:
    from benchmarks.ledger import main as browse  # starts a server

    browse()


def _look() -> None:
    from benchmarks.look import main as before_shooting

    before_shooting()


def _day() -> None:
    from benchmarks.day import main as order

    order()


def _tiles() -> None:
    from benchmarks.tiles import main as lay

    lay()


def _quality(*, large: bool) -> None:
    from benchmarks.quality import main as judge

    judge(large=large)


def _plans() -> None:
    from benchmarks.plan import measure as measure_plans  # starts a server and a browser

    floor_ms, plan_ms, page_ms = measure_plans()
    print(f"floor: reading one label from the server: {floor_ms:.1f} ms")
    print(f"a plan at the server: {plan_ms / floor_ms:.2f} × the floor ({plan_ms:.1f} ms; to hold: 50 ms)")
    print(
        f"from a key press to the new ladder: {page_ms / floor_ms:.1f} × the floor ({page_ms:.0f} ms; to hold: 100 ms)"
    )


def _station() -> None:
    from benchmarks.station import measure as measure_station  # starts a server
    from benchmarks.station import measure_memory

    floor_ms, long_ms, short_sheet_ms, tall_sheet_ms = measure_station()
    print(f"floor: a frame into an empty take: {floor_ms:.0f} ms")
    print(f"a frame into a take of 5,000: {long_ms / floor_ms:.2f} × the floor ({long_ms:.0f} ms; to hold: 1.2 ×)")
    print(
        f"a bench sheet of 3,000 rungs: {tall_sheet_ms / short_sheet_ms:.2f} × one of 20 ({tall_sheet_ms / 1e3:.1f} s; "
        "to hold: 5 s)"
    )
    idle_mb, peak_mb = measure_memory()
    print(f"floor: the server's memory when nothing was done yet: {idle_mb:.0f} MB")
    print(
        f"its peak over three stacks with a sensor of 24 MP: {peak_mb / idle_mb:.1f} × the floor ({peak_mb:.0f} MB; "
        "to hold: 1000 MB)"
    )


def _bench() -> None:
    from benchmarks.bench import measure as measure_bench  # starts a server, a rail and a browser

    found = measure_bench()
    floor = found.floor_ms
    print(f"floor: a list from the server: {floor:.1f} ms")
    for what, rate in (("at rest", found.live_rest_hz), ("while the rail runs", found.live_moving_hz)):
        print(f"live view {what}: {1e3 / rate / floor:.1f} × the floor a picture ({rate:.1f} a second; to hold: 10)")
    print(f"from a landed frame to its lit rung: {found.lit_ms / floor:.1f} × the floor ({found.lit_ms:.0f} ms)")
    for what, (middle, most), bound in (
        ("control beyond settling, flash and rail, a rung", found.overhead_ms, 50),
        ("the growing picture behind its frame", found.growing_ms, 300),
    ):
        print(f"{what}: {middle / floor:.1f} × the floor ({middle:.0f} ms, 90 %: {most:.0f} ms; to hold: {bound} ms)")


def _merges(wanted: list[str]) -> None:
    with tempfile.TemporaryDirectory(prefix="amber-ladder-benchmark-") as holder:
        scratch = Path(holder)
        frames, twice = scratch / "frames", scratch / "twice"
        frames.mkdir()
        twice.mkdir()
        print(f"Shooting {COUNT} frames of {WIDTH_PX} × {HEIGHT_PX} px …", flush=True)
        shoot(frames)
        floor = repeated("decode", frames, scratch)["seconds"]
        by_opencv = repeated("decode-opencv", frames, scratch)["seconds"]
        print(f"floor: decoding {COUNT} frames on two threads: {floor:.2f} s ({by_opencv:.2f} s with OpenCV's decoder)")
        for method, bound in BOUNDS.items():
            if method in wanted:
                taken = repeated(method, frames, scratch)
                seconds = taken["seconds"]
                print(
                    f"merge {method}: {seconds / floor:.1f} × the floor, {seconds / by_opencv:.1f} × OpenCV's "
                    f"({seconds:.1f} s; {bound}); {taken['loading']:.1f} s more for a process's first",
                    flush=True,
                )
        if "start" in wanted:
            libraries = median(started([sys.executable, "-c", _LIBRARIES]) for _ in range(2 * RUNS))
            first = median(started([*_MERGE, str(frames), "--out", str(scratch / "started")]) for _ in range(2 * RUNS))
            print(
                f"from the command to the first frame looked at: {first / libraries:.1f} × loading its libraries "
                f"({first:.2f}; {libraries:.2f} s; to hold: 0.5 s)",
                flush=True,
            )
            from benchmarks.begun import measure as begin  # starts a server and a worker

            asked_s, first_s = begin(frames)
            print(
                f"the same asked for in the application: {first_s / asked_s:.0f} × a request that only reads "
                f"({first_s:.2f}; {asked_s:.3f} s; to hold: 0.5 s)",
                flush=True,
            )
        if "patch" in wanted:
            taken_s = repeated("patch", frames, scratch)
            first_s = taken_s.pop("first")
            print(f"a patch, decoding included: {first_s / floor:.2f} × the floor ({first_s:.2f} s; to hold: 1 s)")
            for way, seconds in taken_s.items():
                print(f"the next one, {way}: {seconds / floor:.2f} × the floor ({seconds:.2f} s)", flush=True)
        if "workers" in wanted:
            for method in ("select", "auto"):
                _workers(method, repeated(method, frames, scratch)["seconds"], frames, scratch / f"out-{method}")
        if "memory" in wanted:
            doubled(frames, twice)
            for method in BOUNDS:
                once, more = (measure(method, folder, scratch)["peak_mb"] for folder in (frames, twice))
                print(
                    f"peak memory {method}: {once:.0f} MB at {COUNT} frames, {more:.0f} MB at {2 * COUNT} "
                    f"({more / once:.2f} ×; to hold: 1000 MB, no growth)",
                    flush=True,
                )


def _large() -> None:
    with tempfile.TemporaryDirectory(prefix="amber-ladder-benchmark-") as holder:
        frames = Path(holder) / "frames"
        frames.mkdir()
        print("Shooting 8 frames of 50 MP and 16 bits …", flush=True)
        shoot_large(frames)
        floor = measure("decode", frames, Path(holder))["peak_mb"]
        print(f"floor: decoding two of them at a time: {floor:.0f} MB")
        for method in BOUNDS:
            peak = measure(method, frames, Path(holder))["peak_mb"]
            print(f"peak memory {method}: {peak / floor:.1f} × the floor ({peak:.0f} MB; to hold: 3500 MB)", flush=True)


def _workers(method: str, merge_s: float, frames: Path, results: Path) -> None:
    megabytes = [1e-6 * sum(file.stat().st_size for file in folder.iterdir()) for folder in (frames, results)]
    cost = Cost(merge_s, *megabytes)
    print(
        f"{method}: {merge_s:.1f} s a stack, {cost.originals_mb:.0f} MB of originals, {cost.results_mb:.0f} of results"
    )
    for line in table(cost):
        print(f"  {line}", flush=True)


_BY_THEMSELVES: dict[str, Callable[[], None]] = {
    "plan": _plans,
    "bench": _bench,
    "station": _station,
    "quality": partial(_quality, large=False),
    "quality-large": partial(_quality, large=True),
    "check": _checks,
    "sorting": _sorting,
    "mend": _mends,
    "ground": _ground,
    "brush": _brush,
    "measuring": _measures,
    "tools": _tools,
    "ledger": _ledger,
    "day": _day,
    "tiles": _tiles,
    "look": _look,
    "memory-large": _large,
}


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
