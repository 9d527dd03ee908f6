"""What grows with a long day: a frame more in a long take, the bench sheet of a tall ladder, the server's memory."""

import time
import urllib.request
from statistics import median

import httpx

from amber_ladder.store.database import transaction
from amber_ladder.store.models import Frame
from amber_ladder.work import shoot
from amber_ladder.work.plan import bench_sheet
from benchmarks.bench import rate, stack_to_shoot
from benchmarks.child import memory_mb
from tests.support.examples import picture
from tests.support.station import running
from tests.support.takes import new_stack

_UPLOADS = 25
_LONG = 5000
_LARGE = {"width_px": 6000, "height_px": 4000, "pixel_um": 3.76}


def measure() -> tuple[float, float, float, float]:
    """Medians in ms: a frame into an empty take (the floor), one into a take of 5,000; sheets of 20 and 3,000 rungs."""
    station = running()
    stack = new_stack("BENCH-STATION")
    short, long = shoot.begin_files(stack.id).id, shoot.begin_files(stack.id).id
    with transaction() as session:
        session.add_all(
            Frame(take_id=long, place=i, name=f"f{i}.jpg", sha256=f"{i:064x}", suffix=".jpg", bytes=1, width_px=8,
                  height_px=8, bits=8)
            for i in range(_LONG)
        )  # fmt: skip
    times: dict[int, list[float]] = {short: [], long: []}
    for number in range(_UPLOADS):
        for take, taken in times.items():
            content = picture(1200, 800, seed=2 * number + (take == long))
            address = f"{station.address}api/takes/{take}/frames/new_{number}.jpg"
            started = time.perf_counter()
            urllib.request.urlopen(urllib.request.Request(address, content, method="PUT")).close()
            taken.append(1e3 * (time.perf_counter() - started))
    sheets = [_sheet(new_stack("BENCH-SHORT", far_um=100, step_um=5.0).id),
              _sheet(new_stack("BENCH-TALL", far_um=15_000, step_um=5.0).id)]  # fmt: skip
    return median(times[short]), median(times[long]), sheets[0], sheets[1]


def _sheet(stack_id: int) -> float:
    times = []
    for _ in range(3):
        started = time.perf_counter()
        bench_sheet.pdf(stack_id)
        times.append(1e3 * (time.perf_counter() - started))
    return median(times)


def measure_memory() -> tuple[float, float]:
    """The server's memory in MB: idle (the floor), and its peak over live view and test frames of three stacks

    with a sensor of 24 megapixels.
    """
    station = running()
    with httpx.Client(base_url=station.address, timeout=600.0) as http:
        http.get("/api/bench").raise_for_status()
        server = station.pid("server")
        idle_mb = memory_mb(server, "VmRSS")
        for number, scene in enumerate(("jewel-wasp", "moss-capsule", "wulfenite")):
            http.patch("/api/bench", json={"scene": scene}).raise_for_status()
            http.put(f"/api/bench/stack/{stack_to_shoot(f'BENCH-24-{number}', _LARGE)}").raise_for_status()
            http.post("/api/bench/move", json={"place": "near"}).raise_for_status()
            rate(http, 20.0)
            http.post("/api/bench/test-frame").raise_for_status()
        return idle_mb, memory_mb(server, "VmHWM")
