"""``./ladder soak station``: several people at work while processes are killed, the disk fills and the rail falls silent.

Afterwards every file that was reported is there, whole, and the doctor finds nothing.
"""

import argparse
import hashlib
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from PIL import Image, ImageFilter

from amber_ladder.errors import AmberLadderError
from amber_ladder.launch.postgres import free_port
from amber_ladder.launch.serve import SOURCE, Station, stay
from tests.support.bench import CONFIRMED
from tests.support.examples import PLAN, RIG, SPECIMEN

_PATIENCE_S = 240.0
_MOST_MEMORY = 1_000_000_000
_TROUBLE = (httpx.HTTPError, KeyError)


class Soak:
    """One station, the people at it, and what they were told."""

    def __init__(self, seed: int) -> None:
        self.dice = random.Random(seed)
        self.over = threading.Event()
        self.leaving = threading.Event()
        self.faults: list[str] = []
        self.did: Counter[str] = Counter()
        self.stored: dict[str, int] = {}  # checksum to the take that it was stored in, as the server said
        self.merged: set[int] = set()
        self.most_memory = 0
        self.disk = Path(tempfile.mkdtemp(prefix="amber-ladder-soak-", dir="/tmp"))
        small = ["mount", "-t", "tmpfs", "-o", "size=1500m,mode=755", "none", str(self.disk)]
        self.small = subprocess.run(small, check=False, capture_output=True).returncode == 0
        self.disk.chmod(0o755)
        os.environ.setdefault("AMBER_LADDER_PAGES", str(SOURCE / "web" / "dist"))
        self.station = Station(self.disk / "data", port=free_port(0), rail_port=free_port(0))
        self.station.cluster.port = free_port(0)

    def run(self, minutes: float) -> None:
        """Start, let everybody work for so long, then wait until all has settled, and look."""
        self.station.open_database()
        self.station.start_rail()
        self.station.start_server()
        self.station.start_worker()
        keeping = threading.Thread(target=stay, args=(self.station, self.leaving))
        keeping.start()
        rig = self.ask("POST", "/rigs", {**RIG, "name": "soaked", "working_distance_mm": 34})["id"]
        people = [
            threading.Thread(target=self.until_over, args=(work,))
            for work in (self.uploader(rig, 1), self.uploader(rig, 2), self.runner(rig), self.archivist())
        ]
        try:
            for one in people:
                one.start()
            self.spoil(minutes * 60.0)
        finally:
            self.over.set()
            for one in people:
                one.join()
        self.settle()
        self.leaving.set()
        keeping.join()
        self.station.stop()
        self.examine()

    def close(self) -> None:
        """End it, and remove its disk."""
        self.leaving.set()
        self.station.stop()
        if self.small:
            subprocess.run(["umount", "-l", str(self.disk)], check=False)
        shutil.rmtree(self.disk, ignore_errors=True)

    # What people do

    def until_over(self, work: Callable[[], None]) -> None:
        """Do it again and again; what is refused for a moment is tried again later."""
        while not self.over.is_set():
            try:
                work()
            except _TROUBLE:
                self.did["trouble"] += 1
                self.over.wait(0.5)

    def uploader(self, rig: int, seed: int) -> Callable[[], None]:
        """Somebody with a card: uploads takes and merges them."""
        dice = random.Random(seed)

        def work() -> None:
            stack = self.new_stack(rig, dice)
            take = self.ask("POST", f"/stacks/{stack}/takes")["id"]
            texture = np.random.default_rng(dice.randrange(1 << 30)).integers(0, 255, (64, 96, 3), np.uint8)
            base = Image.fromarray(texture).resize((384, 256), Image.Resampling.BICUBIC)
            for number in range(dice.randint(4, 7)):
                content = BytesIO()
                base.filter(ImageFilter.GaussianBlur(0.4 + 0.4 * number)).save(content, "JPEG", quality=90)
                self.upload(take, f"frame_{number}.jpg", content.getvalue())
            self.ask("POST", f"/takes/{take}/finish")
            merge = self.ask("POST", f"/takes/{take}/merges", {"method": dice.choice(("select", "pyramid"))})["id"]
            while not self.over.wait(0.3):
                takes = self.ask("GET", f"/stacks/{stack}")["takes"]
                task = takes[0]["merges"][0]["task"]
                if task["state"] == "done":
                    self.merged.add(merge)
                    self.did["merges"] += 1
                if task["state"] in ("failed", "stopped"):
                    self.note_failure(task["message"])
                if task["state"] in ("done", "failed", "stopped"):
                    return

        return work

    def upload(self, take: int, name: str, content: bytes) -> None:
        """One frame, again until the server has it: sent twice it is kept once."""
        sha256 = hashlib.sha256(content).hexdigest()
        while not self.over.is_set():
            try:
                answer = self.ask("PUT", f"/takes/{take}/frames/{name}", content)
            except httpx.HTTPError:
                self.over.wait(0.3)
                continue
            if answer.get("sha256") == sha256:
                self.stored[sha256] = take
                self.did["uploads"] += 1
            return

    def runner(self, rig: int) -> Callable[[], None]:
        """Somebody at the bench."""
        dice = random.Random(3)

        def work() -> None:
            stack = self.new_stack(rig, dice)
            self.ask("PUT", f"/bench/stack/{stack}")
            self.ask("POST", "/bench/flash", {"power": 0.1})
            self.ask("POST", f"/stacks/{stack}/runs", {"confirmed": CONFIRMED})
            while not self.over.wait(0.2):
                take = self.ask("GET", f"/stacks/{stack}")["takes"][0]
                for frame in take["frames"]:
                    self.stored[frame["sha256"]] = take["id"]
                if take["task"]["state"] in ("done", "failed", "stopped"):
                    self.did["runs"] += 1
                    return

        return work

    def archivist(self) -> Callable[[], None]:
        """Somebody who corrects labels, throws away and brings back."""
        count = iter(range(10**6))

        def work() -> None:
            label = {**SPECIMEN, "catalogue_number": f"ARCH-{next(count)}"}
            specimen = self.ask("POST", "/specimens", label)["id"]
            self.ask("PUT", f"/specimens/{specimen}", {**label, "name": "moss lid"})
            gone = self.ask("POST", "/discards", {"kind": "specimen", "id": specimen, "why": "soaked"})["id"]
            self.ask("POST", f"/discards/{gone}/restore")
            if self.ask("GET", f"/specimens/{specimen}")["name"] != "moss lid":
                self.faults.append(f"specimen {specimen} came back with another label")
            self.did["labels"] += 1
            self.over.wait(0.2)

        return work

    def new_stack(self, rig: int, dice: random.Random) -> int:
        """A stack of a new specimen."""
        label = {**SPECIMEN, "catalogue_number": f"SOAK-{dice.randrange(1 << 40)}"}
        specimen = self.ask("POST", "/specimens", label)["id"]
        rail = {"click_um": 2.5, "min_um": 0, "max_um": 40_000, "backlash_um": 50}
        timing = {"settle_s": 0.1, "exposure_s": 0.01, "recycle_s": 0.3}
        plan = {**PLAN, "near_um": 2000, "far_um": 2150, "rail": rail, "timing": timing}
        return int(self.ask("POST", f"/specimens/{specimen}/stacks", {"rig_id": rig, "plan": plan})["id"])

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        """The server's answer. Raises HTTPError while it is away or refuses; its own fault is noted."""
        entry: dict[str, Any] = {"content": body} if isinstance(body, bytes) else {"json": body}
        answer = httpx.request(method, f"{self.station.address}api{path}", timeout=60.0, **entry)
        if answer.status_code == 500:
            self.faults.append(f"500: {method} {path}: {answer.text[:200]}")
        answer.raise_for_status()
        return answer.json()

    def note_failure(self, message: str) -> None:
        """A merge may fail for want of room; not for a fault of ours."""
        self.did["merges that failed"] += 1
        if "our fault" in message:
            self.faults.append(message)

    # What goes wrong

    def spoil(self, seconds: float) -> None:
        """Kill, fill and silence at random until the time is over."""
        end = time.monotonic() + seconds
        kinds = [self.kill_server, self.kill_worker, self.crash_database, self.silence_rail]
        if self.small:
            kinds.append(self.fill_disk)
        while time.monotonic() < end:
            pause = self.dice.uniform(2.0, 8.0)
            until = time.monotonic() + pause
            while time.monotonic() < min(until, end):
                self.look_at_memory()
                time.sleep(0.25)
            kind = self.dice.choice(kinds)
            self.did[kind.__name__.replace("_", " ")] += 1
            try:
                kind()
            except (ProcessLookupError, KeyError, AmberLadderError):
                continue  # it is only just coming back; or came back so fast that its stop was not seen

    def kill_server(self) -> None:
        os.kill(self.station.pid("server"), signal.SIGKILL)

    def kill_worker(self) -> None:
        os.kill(self.station.pid("worker"), signal.SIGKILL)

    def crash_database(self) -> None:
        self.station.cluster.stop(at_once=True)

    def silence_rail(self) -> None:
        pid = self.station.pid("rail")
        os.kill(pid, signal.SIGSTOP)
        time.sleep(self.dice.uniform(1.0, 6.0))
        os.kill(pid, signal.SIGCONT)

    def fill_disk(self) -> None:
        filler = self.disk / "filler"
        with filler.open("wb", buffering=0) as file:
            try:
                while True:
                    file.write(bytes(1 << 22))
            except OSError:
                pass
        time.sleep(self.dice.uniform(1.0, 4.0))
        filler.unlink()

    def look_at_memory(self) -> None:
        try:
            pages = int(Path(f"/proc/{self.station.pid('server')}/statm").read_text().split()[1])
        except (OSError, KeyError, IndexError):
            return
        self.most_memory = max(self.most_memory, pages * os.sysconf("SC_PAGE_SIZE"))

    # What is left

    def settle(self) -> None:
        """Wait until everything is up and nothing is under way."""
        end = time.monotonic() + _PATIENCE_S
        while time.monotonic() < end:
            try:
                rows = self.ask("GET", "/specimens")["rows"]
                if not any(row["stack"] and row["stack"]["busy"] for row in rows):
                    return
            except httpx.HTTPError:
                pass
            time.sleep(0.5)
        self.faults.append(f"work was still under way after {_PATIENCE_S:.0f} s")

    def examine(self) -> None:
        """Start it once more, quietly, and compare what it has with what it said."""
        from amber_ladder.store.database import engine, transaction
        from amber_ladder.store.frame_store import FrameStore, sha256_of
        from amber_ladder.store.stacks import get_product, get_take
        from amber_ladder.work import upkeep

        engine().dispose()
        self.station.open_database()
        store = FrameStore(self.station.data)
        for sha256, take_id in self.stored.items():
            with transaction() as session:
                kept = {frame.sha256: frame.suffix for frame in get_take(session, take_id).frames}
            if sha256 not in kept:
                self.faults.append(f"a frame of take {take_id} was reported and is gone")
            elif sha256_of(store.original(sha256, kept[sha256])) != sha256:
                self.faults.append(f"a frame of take {take_id} has changed on the disk")
        for merge_id in self.merged:
            with transaction() as session:
                files = get_product(session, merge_id, "merge").files or []
            missing = [name for name in files if not (store.product_folder(merge_id) / name).is_file()]
            if missing or not files:
                self.faults.append(f"merge {merge_id} was done and lacks {missing or 'everything'}")
        # What a killed upload has stored, and no row names, is put aside; nothing else may be found.
        found = upkeep.examine(mend=True, alone=True, progress=lambda *_: None)
        self.faults += [f"{one.what}: {one.do}" for one in found if one.kind in ("original", "result")]
        self.did["strays put aside"] += sum(one.kind == "stray" for one in found)
        left = upkeep.examine(mend=False, alone=True, progress=lambda *_: None)
        self.faults += [f"after mending: {one.what}" for one in left if one.kind != "room"]
        if self.most_memory > _MOST_MEMORY:
            self.faults.append(f"the server took {self.most_memory / 1e9:.2f} GB")
        engine().dispose()


def main() -> int:
    """Soak a station; returns 0 when nothing was lost."""
    parser = argparse.ArgumentParser(prog="ladder soak station")
    parser.add_argument("--minutes", type=float, default=20.0)
    parser.add_argument("--seed", type=int, default=1)
    chosen = parser.parse_args()
    soak = Soak(chosen.seed)
    try:
        soak.run(chosen.minutes)
    finally:
        soak.close()
    for fault in soak.faults:
        print(f"fault: {fault}")
    print(", ".join(f"{what} {count}" for what, count in sorted(soak.did.items())))
    print(
        f"{len(soak.stored)} frames and {len(soak.merged)} merges reported, server at most {soak.most_memory / 1e6:.0f} MB"
    )
    print(f"{chosen.minutes:g} minutes with seed {chosen.seed}: {len(soak.faults)} faults", flush=True)
    return 1 if soak.faults else 0


if __name__ == "__main__":
    sys.exit(main())
