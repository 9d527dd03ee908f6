"""How soon the application looks at the first frame of a merge that was asked for."""

import time
from functools import partial
from pathlib import Path
from statistics import median

import httpx

from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import transaction
from amber_ladder.work.shoot import own_frames
from tests.support.station import running, until
from tests.support.takes import new_stack

_RUNS = 7
_RIG = {"sensor": {"width_px": 4000, "height_px": 3000, "pixel_um": 3.76}}


def measure(frames: Path) -> tuple[float, float]:
    """Medians in s: one request that only reads (the floor), and from asking for a merge to its first frame."""
    station = running()
    stack = new_stack("BENCH-BEGUN", rig=_RIG)
    take = own_frames.begin_files(stack.id)
    for path in sorted(frames.iterdir()):
        own_frames.add_file(take.id, path.name, iter([path.read_bytes()]))
    own_frames.finish_take(take.id)
    asked, first = [], []
    with httpx.Client(base_url=station.address, timeout=600.0) as http:
        for _ in range(_RUNS):
            began = time.perf_counter()
            http.get("/api/rigs").raise_for_status()
            asked.append(time.perf_counter() - began)
            began = time.perf_counter()
            answer = http.post(f"/api/takes/{take.id}/merges", json={"method": "select"}).raise_for_status()
            task = answer.json()["task"]["id"]
            while not _reports(task):
                time.sleep(0.002)
            first.append(time.perf_counter() - began)
            until(partial(_ended, task), "the merge")
    return median(asked), median(first)


def _reports(task_id: int) -> bool:
    with transaction() as session:
        return stacks.get_task(session, task_id).phase != ""


def _ended(task_id: int) -> bool:
    with transaction() as session:
        return stacks.get_task(session, task_id).state in tasks.ENDED
