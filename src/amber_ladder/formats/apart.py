"""Opening foreign pictures in a process of its own, with limits of memory and time, which the server outlives.

``python -m amber_ladder.formats.apart BYTES`` is that process: a line of JSON in, a line of JSON out.
"""

import atexit
import json
import os
import queue
import resource
import signal
import subprocess
import sys
import threading
from contextlib import suppress
from dataclasses import asdict
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Any

from amber_ladder.errors import UnreadablePicture
from amber_ladder.formats.pictures import PictureInfo, examine
from amber_ladder.processes import dies_with_parent

_SECONDS = 90.0
_BYTES = 4_000_000_000
"""Beyond what the decoders themselves take: 250 megapixels of 16 bits are 1.5 GB, and are held twice."""
_AT_ONCE = 2


class Examiner:
    """Examines pictures in helpers that are started when first wanted and kept; one that dies is replaced."""

    def __init__(self, *, seconds: float = _SECONDS, memory: int = _BYTES) -> None:
        self._seconds, self._memory = seconds, memory
        self._free: queue.Queue[_Helper | None] = queue.Queue()
        for _ in range(_AT_ONCE):
            self._free.put(None)

    def examine(self, path: Path, name: str | None = None) -> PictureInfo:
        """As :func:`amber_ladder.formats.pictures.examine`. Raises UnreadablePicture."""
        name = name or path.name
        answer = self._asked({"path": str(path), "name": name})
        taken = answer["captured_at"]
        return PictureInfo(**{**answer, "captured_at": datetime.fromisoformat(taken) if taken else None})

    def try_raw(self, path: Path) -> None:
        """Decode a camera raw file once, and let the picture go. Raises UnreadablePicture."""
        self._asked({"path": str(path), "name": path.name, "raw": "half the size"})

    def _asked(self, question: dict[str, str]) -> dict[str, Any]:
        name = question["name"]
        helper = self._free.get()
        try:
            if helper is not None and not helper.alive:
                helper.end()
                helper = None
            if helper is None:
                helper = _Helper(self._memory)
            answer = helper.ask(question, self._seconds)
        except TimeoutError as error:
            raise UnreadablePicture(
                name, f"could not be opened within {self._seconds:g} s: no frame takes so long"
            ) from error
        except EOFError as error:
            raise UnreadablePicture(name, "made its decoder fail: save it anew with another program") from error
        finally:
            self._free.put(helper)
        if "reason" in answer:
            raise UnreadablePicture(name, answer["reason"])
        return answer

    def close(self) -> None:
        """End the helpers."""
        for _ in range(_AT_ONCE):
            helper = self._free.get()
            if helper is not None:
                helper.end()
            self._free.put(None)


class _Helper:
    def __init__(self, memory: int) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "amber_ladder.formats.apart", str(memory)],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
            preexec_fn=dies_with_parent(signal.SIGKILL),  # noqa: PLW1509 - one system call, no locks
        )  # fmt: skip

    @property
    def alive(self) -> bool:
        return self._process.poll() is None

    def ask(self, question: dict[str, str], seconds: float) -> dict[str, Any]:
        """Its answer. Raises TimeoutError, and EOFError when it has died of the question; both end it."""
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        late = threading.Timer(seconds, self._process.kill)
        late.start()
        try:
            self._process.stdin.write(json.dumps(question) + "\n")
            self._process.stdin.flush()
            line = self._process.stdout.readline()
        except BrokenPipeError:
            line = ""
        finally:
            in_time = late.is_alive()
            late.cancel()
        if line:
            return dict(json.loads(line))
        self.end()
        raise EOFError if in_time else TimeoutError

    def end(self) -> None:
        self._process.kill()
        self._process.wait()
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                with suppress(BrokenPipeError):
                    pipe.close()


@cache
def _usual() -> Examiner:
    examiner = Examiner()
    atexit.register(examiner.close)
    return examiner


def examine_apart(path: Path, name: str | None = None) -> PictureInfo:
    """Read a whole picture of a stranger's once, to be sure of it. Raises UnreadablePicture with the reason."""
    return _usual().examine(path, name)


def try_raw_apart(path: Path) -> None:
    """Decode a stranger's camera raw once where a decoder that fails hurts nobody. Raises UnreadablePicture."""
    _usual().try_raw(path)


def main(memory: int) -> None:
    """Answer questions until there are no more."""
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    limit = pages * os.sysconf("SC_PAGE_SIZE") + memory
    resource.setrlimit(resource.RLIMIT_AS, (limit, limit))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    for line in sys.stdin:
        question = json.loads(line)
        try:
            answer = _raw_tried(question) if "raw" in question else _examined(question)
        except UnreadablePicture as error:
            answer = {"reason": error.reason}
        except MemoryError:
            answer = {"reason": "needs more memory than any frame"}
        print(json.dumps(answer), flush=True)


def _examined(question: dict[str, str]) -> dict[str, Any]:
    info = asdict(examine(Path(question["path"]), question["name"]))
    return {**info, "captured_at": info["captured_at"].isoformat() if info["captured_at"] else None}


def _raw_tried(question: dict[str, str]) -> dict[str, Any]:
    # Here: most stations see no raw, and need not load what it takes.
    from amber_ladder.formats.raw import shown_raw

    shown_raw(Path(question["path"]), half_size=True)
    return {"decoded": True}


if __name__ == "__main__":
    main(int(sys.argv[1]))
