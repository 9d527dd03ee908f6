"""``./ladder test``: formatter, linters, types, import directions, and every suite; one line of counts at the end."""

import os
import re
import subprocess
import sys
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import chain
from typing import Any

from amber_ladder.errors import AmberLadderError
from amber_ladder.launch.serve import SOURCE

_PYTHON = sys.executable
_TOOLS: dict[str, list[str]] = {
    "format": [_PYTHON, "-m", "ruff", "format", "--check", "src", "tests", "benchmarks"],
    "lint": [_PYTHON, "-m", "ruff", "check", "src", "tests", "benchmarks"],
    "types": [_PYTHON, "-m", "mypy"],
    "imports": [str(SOURCE / ".venv/bin/lint-imports")],
    "web": ["npm", "--prefix", "web", "run", "--silent", "check"],
}
_LIVE = ("devices", "shoot", "browser")
"""Suites in real time: they hold devices to the clock, and would be late beside each other."""
_QUIET = ("work", "core", "fusion", "simulated", "hold", "api", "cli", "jobs", "store", "formats", "demo", "launch",
          "pages")  # fmt: skip
_LANES: tuple[tuple[str, ...], ...] = (("format", "lint", "imports", *_LIVE), ("types", "web", *_QUIET))
"""Two at a time: one lane beside the other, a lane in its order. The first, once it is through, helps the second with

what that has last."""
_APART = {"shoot": "work/shoot", "fusion": "core/fusion"}
"""Suites that lie inside another's folder."""
_RAN = re.compile(r"^Ran (\d+) tests? in", re.MULTILINE)
_PART = re.compile(r"(failures|errors|skipped|unexpected successes)=(\d+)")


@dataclass
class _Count:
    passed: int = 0
    failed: int = 0
    skipped: int = 0

    def add(self, other: "_Count") -> None:
        self.passed += other.passed
        self.failed += other.failed
        self.skipped += other.skipped


def check(names: Sequence[str]) -> int:
    """Run all checks, or those named; returns 0 when none failed. Raises AmberLadderError for an unknown name."""
    known = {name for lane in _LANES for name in lane}
    for name in names:
        if name not in known:
            raise AmberLadderError(f"no check is called {name!r}: choose from {', '.join(sorted(known))}")
    total = _Count()
    own, shared = (deque(name for name in lane if not names or name in names) for lane in _LANES)
    with ThreadPoolExecutor(max_workers=2) as pool:
        for count in pool.map(_lane, (chain(_taken(own.popleft, own), _taken(shared.pop, shared)),
                                      _taken(shared.popleft, shared))):  # fmt: skip
            total.add(count)
    print(f"{total.passed} passed, {total.failed} failed, {total.skipped} skipped", flush=True)
    return 1 if total.failed else 0


def _taken(take: Callable[[], Any], left: deque[Any]) -> Iterator[Any]:
    """One name after the other, until none is left for either lane."""
    while left:
        try:
            yield take()
        except IndexError:  # the other lane was quicker
            return


def _lane(names: Iterable[str]) -> _Count:
    total = _Count()
    for name in names:
        started = time.monotonic()
        count, said = _tool(name) if name in _TOOLS else _suite(name)
        total.add(count)
        verdict = "failed" if count.failed else "passed"
        # In one piece: the other lane prints too.
        print(
            f"{said}{name}: {verdict} ({count.passed + count.failed}, {time.monotonic() - started:.0f} s)", flush=True
        )
    return total


def run_script(module: str, *arguments: str) -> int:
    """Run one of the project's own modules from its source folder."""
    return subprocess.run([_PYTHON, "-m", module, *arguments], cwd=SOURCE, env=_environment(), check=False).returncode


def _tool(name: str) -> tuple[_Count, str]:
    result = subprocess.run(_TOOLS[name], cwd=SOURCE, env=_environment(), check=False, capture_output=True, text=True)
    if result.returncode == 0:
        return _Count(passed=1), ""
    return _Count(failed=1), f"{result.stdout}{result.stderr}\n"


def modules_of(name: str) -> list[str]:
    """The test modules of a suite, dotted."""
    tests = SOURCE / "tests"
    apart = [tests / folder for suite, folder in _APART.items() if suite != name]
    found = sorted((tests / _APART.get(name, name)).rglob("test_*.py"))
    mine = [path for path in found if not any(path.is_relative_to(folder) for folder in apart)]
    return [".".join(path.relative_to(SOURCE).with_suffix("").parts) for path in mine]


def _suite(name: str) -> tuple[_Count, str]:
    command = [_PYTHON, "-m", "unittest", *modules_of(name)]
    result = subprocess.run(command, cwd=SOURCE, env=_environment(), check=False, capture_output=True, text=True)
    ran = _RAN.search(result.stderr)
    parts = {key: int(value) for key, value in _PART.findall(result.stderr.rsplit("Ran ", 1)[-1])}
    failed = parts.get("failures", 0) + parts.get("errors", 0) + parts.get("unexpected successes", 0)
    said = ""
    if result.returncode != 0 or not ran:
        said = f"{result.stdout}{result.stderr}\n"
        failed = max(failed, 1)
    count = int(ran.group(1)) if ran else 0
    skipped = parts.get("skipped", 0)
    return _Count(passed=max(count - failed - skipped, 0), failed=failed, skipped=skipped), said


def _environment() -> dict[str, str]:
    return {**os.environ, "PYTHONPATH": f"{SOURCE / 'src'}{os.pathsep}{SOURCE}"}
