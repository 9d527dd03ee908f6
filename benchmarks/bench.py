"""The bench: live view, from a landed frame to its lit rung, and what control adds to the devices' own times."""

import threading
import time
from dataclasses import dataclass
from statistics import median
from typing import Any

import httpx
import numpy as np

from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.settings import settings
from amber_ladder.work import cabinet, plan, rigs
from amber_ladder.work.shoot import Bench, BenchChange, FlashEntry, RunEntry
from tests.support.bench import CONFIRMED
from tests.support.browser import chromium
from tests.support.examples import RIG, SPECIMEN
from tests.support.rail import RailProcess
from tests.support.station import running, until

SENSOR = {"width_px": 1536, "height_px": 1024, "pixel_um": 5.0}
_WATCH = """() => {
  window.told = {}; window.lit = {};
  new EventSource('/api/events').addEventListener('frame', (event) => {
    const { frame, told_at } = JSON.parse(event.data);
    window.told[frame.rung] = told_at;
  });
  new MutationObserver(() => {
    for (const rung of document.querySelectorAll('[data-rung]'))
      window.lit[rung.dataset.rung] ??= Date.now() / 1000;
  }).observe(document.body, { childList: true, subtree: true });
}"""


@dataclass(frozen=True, slots=True)
class BenchFigures:
    """Medians, and for the overhead and the lag also the 90th percentile; ms unless a rate."""

    floor_ms: float
    live_rest_hz: float
    live_moving_hz: float
    lit_ms: float
    overhead_ms: tuple[float, float]
    growing_ms: tuple[float, float]


def measure() -> BenchFigures:
    """Live view and lit rungs through the server and Chromium; overhead and lag in this process, on its own rail."""
    station = running()
    http = httpx.Client(base_url=station.address, timeout=120.0)
    stack_id = stack_to_shoot("BENCH-1")
    http.put(f"/api/bench/stack/{stack_id}").raise_for_status()
    rest_hz, moving_hz = _live(http, stack_id)
    floor = []
    for _ in range(40):
        started = time.perf_counter()
        http.get("/api/scenes").raise_for_status()
        floor.append((time.perf_counter() - started) * 1e3)
    lit_ms = _lit(station.address, http, stack_id)
    overheads, lags = _own_run()
    return BenchFigures(
        median(floor), rest_hz, moving_hz, lit_ms,
        (median(overheads), float(np.percentile(overheads, 90))), (median(lags), float(np.percentile(lags, 90))),
    )  # fmt: skip


def stack_to_shoot(number: str, sensor: dict[str, float] = SENSOR) -> int:
    """A stack of some rungs, planned for a rig with this sensor."""
    specimen = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": number}))
    rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": number, "sensor": sensor, "working_distance_mm": 34}))
    entry: dict[str, Any] = {
        "near_um": 2000, "far_um": 2300, "spare_rungs": 1,
        "rail": {"click_um": 2.5, "min_um": 0, "max_um": 40_000, "backlash_um": 50},
        "timing": {"settle_s": 1.0, "exposure_s": 0.05, "recycle_s": 4.0},
    }  # fmt: skip
    return plan.save_ladder(specimen.id, plan.PlanEntry(rig_id=rig.id, plan=LadderRequestJson(**entry))).id


def _live(http: httpx.Client, stack_id: int) -> tuple[float, float]:
    """Moments a second at rest, and while the rail runs to and fro, once what lies near has been looked at."""
    http.post("/api/bench/move", json={"place": "near"}).raise_for_status()
    rate(http, 45.0)
    rest = rate(http, 6.0)
    over = threading.Event()

    def run_about() -> None:
        with httpx.Client(base_url=http.base_url, timeout=60.0) as own:
            while not over.is_set():
                for position in (2000.0, 2300.0):
                    for step in np.linspace(0, 1, 16):
                        there = position + (2300.0 - 2000.0) * (step if position == 2000.0 else -step)
                        own.post("/api/bench/move", json={"to_um": there})
                        if over.wait(0.15):
                            return

    mover = threading.Thread(target=run_about)
    mover.start()
    moving = rate(http, 8.0)
    over.set()
    mover.join()
    http.post("/api/bench/halt")
    return rest, moving


def rate(http: httpx.Client, seconds: float) -> float:
    """Moments of live view that come in a second."""
    count, arrived = 0, b""
    began = time.monotonic()
    with http.stream("GET", "/api/bench/live") as answer:
        for chunk in answer.iter_raw():
            arrived += chunk
            while len(arrived) >= 16:
                whole = 16 + sum(int.from_bytes(arrived[4 * i : 4 * i + 4], "big") for i in range(4))
                if len(arrived) < whole:
                    break
                arrived, count = arrived[whole:], count + 1
            if time.monotonic() - began > seconds:
                break
    return count / (time.monotonic() - began)


def _lit(address: str, http: httpx.Client, stack_id: int) -> float:
    page = chromium().new_page(viewport={"width": 1280, "height": 800}, base_url=address)
    page.goto(f"/stacks/{stack_id}/shoot")
    page.wait_for_selector("text=Shoot this ladder")
    page.evaluate(_WATCH)
    http.post("/api/bench/flash", json={"power": 0.1}).raise_for_status()
    http.post(f"/api/stacks/{stack_id}/runs", json={"confirmed": CONFIRMED}).raise_for_status()
    page.wait_for_selector("text=Done:", timeout=240_000)
    times: dict[str, Any] = page.evaluate(
        "Object.fromEntries(Object.keys(window.told).map(r => [r, window.lit[r] - window.told[r]]))"
    )
    page.close()
    return 1e3 * median(float(one) for one in times.values())


def _own_run() -> tuple[list[float], list[float]]:
    rail = RailProcess()
    settings().rail_port = rail.port
    bench = Bench()
    try:
        bench.change(BenchChange(flaws=[], rail="simulated", scene="moss-capsule"))
        stack_id = stack_to_shoot("BENCH-2")
        bench.set_up(stack_id)
        bench.light.set_flash(FlashEntry(power=0.1))
        bench.begin_run(stack_id, RunEntry(confirmed=CONFIRMED))
        run, growing = bench._current.run, bench._current.picture
        assert run is not None
        assert growing is not None
        until(lambda: bench.view().busy is None, "the run to end")
        view = bench.view().growth
        assert view is not None
        until(lambda: bench.view().growth.frames == len(run.rungs.todo), "the picture to grow")  # type: ignore[union-attr]
        return [1e3 * one for one in run.state.overheads_s], [1e3 * one for one in growing.lag_s]
    finally:
        bench.close()
        rail.unplug()
