"""The simulated rail as the process that ships, on a free port."""

import os
import subprocess
import sys
from typing import Any

from amber_ladder.launch.serve import SOURCE
from amber_ladder.simulated.rail.eye import RailEye


class RailProcess:
    """``./ladder rail-simulator``, and how to unplug it."""

    def __init__(self, *options: str) -> None:
        self.options = options
        self.port = 0
        self.start()

    @property
    def address(self) -> str:
        return f"socket://127.0.0.1:{self.port}"

    def start(self) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "amber_ladder", "rail-simulator", "--port", str(self.port), *self.options],
            stdout=subprocess.PIPE,
            text=True,
            env={**os.environ, "PYTHONPATH": str(SOURCE / "src")},
        )
        assert self._process.stdout is not None
        self.port = int(self._process.stdout.readline().rsplit(":", 1)[-1])

    def unplug(self) -> None:
        self._process.kill()
        self._process.wait()
        if self._process.stdout:
            self._process.stdout.close()

    def rebuild(self, **changes: Any) -> None:
        eye = RailEye(self.port)
        eye.rebuild(**changes)
        eye.close()
