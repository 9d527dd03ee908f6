"""How the station reaches the process that makes the simulated camera's pictures.

A scene of 24 megapixels takes gigabytes while it is built: in a process of its own they are given back, and a machine
that has too little memory loses that process and not the station.
"""

import atexit
import socket
import subprocess
import sys
import threading
from contextlib import suppress
from multiprocessing.connection import Connection
from typing import Any

from amber_ladder.errors import DeviceTrouble
from amber_ladder.simulated.camera.body import CameraSetup


class CameraLine:
    """A line to the body of one camera, open once the scene is built. One that broke is opened again, once.

    Raises DeviceTrouble when the process is gone then too, or does not do what it is asked.
    """

    def __init__(self, camera: str, setup: CameraSetup) -> None:
        self._camera, self._setup = camera, setup
        self._turn = threading.Lock()
        self._line: Connection[Any, Any] | None = None
        self._reopen()

    def ask(self, what: str, *arguments: Any) -> Any:
        """Call a method of CameraBody."""
        with self._turn:
            if self._line is not None:
                with suppress(EOFError, OSError):
                    return self._exchange((what, arguments))
            self._reopen()
            try:
                return self._exchange((what, arguments))
            except (EOFError, OSError) as error:
                raise self._ended() from error

    def _reopen(self) -> None:
        try:
            self._line = _PROCESS.line()
            self._exchange((self._camera, self._setup))
        except (EOFError, OSError) as error:
            raise self._ended() from error

    def _exchange(self, words: tuple[Any, ...]) -> Any:
        assert self._line is not None
        self._line.send(words)
        done, answer = self._line.recv()
        if not done:
            raise DeviceTrouble(f"the simulated camera failed: {answer}")
        return answer

    def _ended(self) -> DeviceTrouble:
        self._line = None
        return DeviceTrouble(
            "the simulated camera's process ended: there may be too little memory for a scene of this size. Close "
            "other programs, or practise with a rig that has a smaller sensor"
        )

    def close(self) -> None:
        """Close the line; the camera ends with its last one."""
        with self._turn:
            if self._line is not None:
                self._line.close()
                self._line = None


class _Process:
    """The one process that holds the simulated cameras of this one: started when first wanted, ended with it."""

    def __init__(self) -> None:
        self._turn = threading.Lock()
        self._control: socket.socket | None = None
        self._process: subprocess.Popen[bytes] | None = None

    def line(self) -> "Connection[Any, Any]":
        with self._turn:
            ours, theirs = socket.socketpair()
            with theirs:
                if not self._hand_over(theirs):  # not started yet, or ended after a while without a camera
                    self._start()
                    self._hand_over(theirs)
            return Connection(ours.detach())

    def _hand_over(self, end: socket.socket) -> bool:
        if self._control is None:
            return False
        try:
            socket.send_fds(self._control, [b"+"], [end.fileno()])
        except OSError:
            return False
        return True

    def end(self) -> None:
        """Let it end: it lives by its standard input."""
        if self._control is not None and self._process is not None:
            self._control.close()
            self._process.wait()

    def _start(self) -> None:
        self.end()
        # Its standard input closes with this process, however this one ends.
        self._control, theirs = socket.socketpair()
        with theirs:
            command = [sys.executable, "-m", "amber_ladder.simulated.camera.process"]
            self._process = subprocess.Popen(command, stdin=theirs.fileno())


_PROCESS = _Process()
atexit.register(_PROCESS.end)
