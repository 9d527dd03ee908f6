"""``./ladder soak intake``: cards whose server or worker is killed while they are brought in.

Whoever sends goes on as the page does: what is not answered is sent again. Afterwards every file is there, whole, once.
"""

import argparse
import hashlib
import random
import sys
import threading
import time
from functools import partial
from typing import Any

import httpx

from amber_ladder.launch.postgres import wait_for_port
from amber_ladder.launch.serve import Station
from amber_ladder.store.frame_store import FrameStore, sha256_of
from tests.support.examples import picture
from tests.support.station import kill, running

_FILES = 60
_PATIENCE_S = 180.0


def main() -> int:
    """Bring in, kill, go on, compare; returns 0 when nothing was lost, half stored or there twice."""
    parser = argparse.ArgumentParser(prog="ladder soak intake")
    parser.add_argument("--runs", type=int, default=30)
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args()
    dice = random.Random(chosen.seed)
    station = running()
    faults = 0
    for number in range(1, chosen.runs + 1):
        # The worker looks at a card only once it is in: it is killed later.
        victim = dice.choice(("server", "server", "worker"))
        after_s = dice.uniform(0.0, 2.5) if victim == "server" else dice.uniform(1.0, 4.0)
        found = _one_card(station, number, victim, after_s)
        faults += len(found)
        print(f"card {number}: {victim} killed after {after_s:.1f} s: {'; '.join(found) or 'whole'}", flush=True)
    print(f"{chosen.runs} cards with seed {chosen.seed}: {faults} faults", flush=True)
    return 1 if faults else 0


def _one_card(station: Station, number: int, victim: str, after_s: float) -> list[str]:
    files = {
        f"DCIM/{100 + at // 30}/TH{at:04d}.JPG": picture(640, 480, seed=7 * number + at // 20, shot=at)
        for at in range(_FILES)
    }
    http = httpx.Client(base_url=station.address, timeout=60.0)
    card = _patiently(lambda: http.post("/api/cards", json={"name": f"soaked {number}"}))["id"]
    # Killed and started again from here: what a thread has started ends with it.
    sender = threading.Thread(target=_send, args=(http, card, files))
    sender.start()
    time.sleep(after_s)
    _kill(station, victim)
    sender.join()
    if not wait_for_port(station.port, seconds=60):
        return ["the server did not come back"]
    end = time.monotonic() + _PATIENCE_S
    while True:
        view = _patiently(lambda: http.get(f"/api/cards/{card}"))
        task = view["task"]
        if task and task["state"] in ("done", "failed", "stopped"):
            break
        if time.monotonic() > end:
            return [f"not looked at after {_PATIENCE_S:.0f} s"]
        time.sleep(0.1)
    return _compare(station, view, files, number)


def _send(http: httpx.Client, card: int, files: dict[str, bytes]) -> None:
    for name, content in files.items():
        # The answer may be lost with the server, though the file was kept: then it is sent twice.
        _patiently(partial(http.put, f"/api/cards/{card}/files", params={"name": name}, content=content))
    _patiently(lambda: http.post(f"/api/cards/{card}/look"), begun=True)


def _kill(station: Station, victim: str) -> None:
    kill(station, victim)
    station.keep_up()


def _patiently(ask: Any, begun: bool = False) -> dict[str, Any]:
    """The answer, as soon as there is one. Looking that was ``begun`` already, unanswered, is as good."""
    end = time.monotonic() + _PATIENCE_S
    while True:
        try:
            answer = ask()
        except httpx.HTTPError:
            if time.monotonic() > end:
                raise
            time.sleep(0.1)
            continue
        if begun and answer.status_code == 409:
            return {"task": None}
        if answer.status_code < 500:
            answer.raise_for_status()
            return dict(answer.json())
        time.sleep(0.1)


def _compare(station: Station, view: dict[str, Any], files: dict[str, bytes], number: int) -> list[str]:
    faults = []
    if view["task"]["state"] != "done":
        faults.append(f"{view['task']['state']}: {view['task']['message']}")
    names = [file["name"] for file in view["files"]]
    if sorted(names) != sorted(files):
        faults.append(f"{len(names)} files for {len(files)}")
    faults += [f"{file['name']} is refused: {file['refused']}" for file in view["files"] if file["refused"]]
    sorted_files = [number for stack in view["stacks"] for number in stack["files"]] + view["separators"]
    if sorted(sorted_files) != sorted(file["id"] for file in view["files"]):
        faults.append(f"{len(sorted_files)} of {len(files)} files were sorted")
    store = FrameStore(station.data)
    for name, content in files.items():
        sha256 = hashlib.sha256(content).hexdigest()
        if sha256_of(store.place(sha256, ".jpg")) != sha256:
            faults.append(f"{name} is missing on the disk, or half there")
    half = [path.name for path in (station.data / "arriving").iterdir()]
    # A server that was killed leaves the one file that was on its way: it is removed when the station starts anew.
    return faults if len(half) <= number else [*faults, f"{len(half)} half-written files"]


if __name__ == "__main__":
    sys.exit(main())
