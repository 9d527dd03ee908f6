"""``./ladder soak``: runs whose server or worker is killed at a random moment; nothing that was reported may be lost."""

import argparse
import hashlib
import random
import sys
import time
from typing import Any

import httpx

from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.launch.postgres import wait_for_port
from amber_ladder.launch.serve import Station
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import cabinet, plan, rigs
from tests.support.bench import CONFIRMED
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.station import kill, running

_TIMING = {"settle_s": 0.1, "exposure_s": 0.01, "recycle_s": 0.3}
_PATIENCE_S = 180.0


def main() -> int:
    """Run, kill, wait, compare; returns 0 when nothing was lost."""
    parser = argparse.ArgumentParser(prog="ladder soak")
    parser.add_argument("--runs", type=int, default=30)
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args()
    dice = random.Random(chosen.seed)
    station = running()
    rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "soaked", "working_distance_mm": 34}))
    lost = 0
    for number in range(1, chosen.runs + 1):
        victim, after_s = dice.choice(("server", "worker")), dice.uniform(0.3, 5.0)
        faults = _one_run(station, rig.id, number, victim, after_s)
        lost += len(faults)
        print(f"run {number}: {victim} killed after {after_s:.1f} s: {'; '.join(faults) or 'whole'}", flush=True)
    print(f"{chosen.runs} runs with seed {chosen.seed}: {lost} faults", flush=True)
    return 1 if lost else 0


def _one_run(station: Station, rig_id: int, number: int, victim: str, after_s: float) -> list[str]:
    specimen = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": f"SOAK-{number}"}))
    rail = {"click_um": 2.5, "min_um": 0, "max_um": 40_000, "backlash_um": 50}
    entry = {**PLAN, "near_um": 2000, "far_um": 2200, "rail": rail, "timing": _TIMING}
    stack = plan.save_ladder(specimen.id, plan.PlanEntry(rig_id=rig_id, plan=LadderRequestJson(**entry)))
    http = httpx.Client(base_url=station.address, timeout=60.0)
    http.put(f"/api/bench/stack/{stack.id}").raise_for_status()
    http.post("/api/bench/flash", json={"power": 0.1}).raise_for_status()
    http.post(f"/api/stacks/{stack.id}/runs", json={"confirmed": CONFIRMED}).raise_for_status()
    reported: dict[int, dict[str, Any]] = {}
    end = time.monotonic() + after_s
    while time.monotonic() < end:
        for frame in http.get(f"/api/stacks/{stack.id}").json()["takes"][0]["frames"]:
            reported[frame["id"]] = frame
        time.sleep(0.02)
    kill(station, victim)
    station.keep_up()
    if not wait_for_port(station.port, seconds=60):
        return ["the server did not come back"]
    take = _ended(http, stack.id)
    if take is None:
        return [f"not done after {_PATIENCE_S:.0f} s"]
    return _compare(station, take, list(reported.values()), stack.ladder.frames)


def _ended(http: httpx.Client, stack_id: int) -> dict[str, Any] | None:
    end = time.monotonic() + _PATIENCE_S
    while time.monotonic() < end:
        try:
            take: dict[str, Any] = http.get(f"/api/stacks/{stack_id}").json()["takes"][0]
            if take["task"]["state"] in ("done", "failed", "stopped"):
                return take
        except httpx.HTTPError:
            pass  # it is only just coming back
        time.sleep(0.1)
    return None


def _compare(station: Station, take: dict[str, Any], reported: list[dict[str, Any]], rungs: int) -> list[str]:
    faults = []
    if take["task"]["state"] != "done":
        faults.append(f"{take['task']['state']}: {take['task']['message']}")
    final = {frame["id"]: frame["sha256"] for frame in take["frames"]}
    faults += [
        f"{frame['name']} was reported and is gone" for frame in reported if final.get(frame["id"]) != frame["sha256"]
    ]
    kept = sorted(frame["rung"] for frame in take["frames"] if frame["left_out"] is None)
    if kept != list(range(rungs)):
        faults.append(f"rungs {kept} of {rungs}")
    store = FrameStore(station.data)
    for frame in take["frames"]:
        content = store.original(frame["sha256"], ".jpg").read_bytes()
        if hashlib.sha256(content).hexdigest() != frame["sha256"]:
            faults.append(f"{frame['name']} has changed on the disk")
    if len({frame["sha256"] for frame in take["frames"]}) != len(take["frames"]):
        faults.append("a frame is there twice")
    return faults


if __name__ == "__main__":
    sys.exit(main())
