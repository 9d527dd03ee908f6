"""``python -m amber_ladder.simulated.camera.process``: holds the simulated cameras of the process that started it.

Standard input is a socket on which it is handed one end of each line. It ends when that closes, or after some minutes
without a camera.
"""

import os
import select
import socket
import sys
import threading
import time
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any

from amber_ladder.simulated.camera.body import CameraBody, CameraSetup

_IDLE_S = 300.0


class _Cameras:
    """The bodies that somebody has a line to."""

    def __init__(self) -> None:
        self._turn = threading.Lock()
        self._bodies: dict[str, CameraBody] = {}
        self._lines: dict[str, int] = {}
        self._since = time.monotonic()

    def take(self, camera: str, setup: CameraSetup) -> CameraBody:
        with self._turn:
            if camera not in self._bodies:
                self._bodies[camera] = CameraBody(setup)
            self._lines[camera] = self._lines.get(camera, 0) + 1
            return self._bodies[camera]

    def give_back(self, camera: str) -> None:
        with self._turn:
            self._lines[camera] -= 1
            if self._lines[camera] == 0:
                self._bodies.pop(camera).close()
                del self._lines[camera]
                self._since = time.monotonic()

    def idle(self) -> bool:
        return not self._lines and time.monotonic() - self._since > _IDLE_S


def _serve(line: "Connection[Any, Any]", cameras: _Cameras) -> None:
    with line, suppress(EOFError, OSError):  # the line was closed
        camera, setup = line.recv()
        body = cameras.take(camera, setup)
        try:
            line.send((True, None))
            while True:
                what, arguments = line.recv()
                try:
                    answer = True, getattr(body, what)(*arguments)
                except Exception as error:
                    answer = False, f"{type(error).__name__}: {error}"
                line.send(answer)
        finally:
            cameras.give_back(camera)


def main() -> None:
    """Serve until the starter is gone."""
    cameras = _Cameras()
    with socket.socket(fileno=sys.stdin.fileno()) as control:
        while not cameras.idle():
            if not select.select([control], [], [], 20.0)[0]:
                continue
            more, ends, _, _ = socket.recv_fds(control, 1, 1)
            if not more:
                break
            threading.Thread(target=_serve, args=(Connection(ends[0]), cameras), daemon=True).start()
    os._exit(0)  # threads that render are not waited for


if __name__ == "__main__":
    main()
