"""How the simulated camera knows where the simulated rail's carriage really is."""

import json
import socket
import threading
from typing import Any

from amber_ladder.errors import DeviceTrouble
from amber_ladder.simulated.rail.mechanics import Build, Truth


class RailEye:
    """A second line to the simulated rail's process. The driver never sees what is told here."""

    def __init__(self, port: int) -> None:
        self._port = port
        self._turn = threading.Lock()
        self._line: socket.socket | None = None

    def truth(self) -> tuple[Truth, Build]:
        """The carriage now, and how the rail is built. Raises DeviceTrouble when the process is gone."""
        told = json.loads(self._ask("M150")[0])
        build = Build(**told.pop("build"))
        return Truth(**told), build

    def stage_um(self) -> tuple[float, float] | None:
        """Where the stage really is, right and down; None for a rail that has none. Raises DeviceTrouble."""
        told = json.loads(self._ask("M152")[0])
        return (float(told[0]), float(told[1])) if told else None

    def rebuild(self, **changes: Any) -> None:
        """Change how the rail is built (fields of Build), or how its line fails (``trouble``)."""
        self._ask("M151 " + json.dumps(changes))

    def forget_home(self) -> None:
        """Let it be as after it was switched off and on: it does not know where it is."""
        self.rebuild(homed=False)

    def close(self) -> None:
        """Close the line."""
        if self._line:
            self._line.close()
            self._line = None

    def _ask(self, words: str) -> list[str]:
        with self._turn:
            for attempt in (1, 2):  # a line left from a process that was started anew is opened again
                try:
                    return self._exchange(words)
                except (OSError, ValueError) as error:
                    self.close()
                    if attempt == 2:
                        raise DeviceTrouble("the simulated rail's process does not run: start it again") from error
        raise AssertionError

    def _exchange(self, words: str) -> list[str]:
        if self._line is None:
            self._line = socket.create_connection(("127.0.0.1", self._port), timeout=2.0)
        self._line.sendall(words.encode() + b"\n")
        heard = b""
        while not heard.endswith(b"ok\n"):
            part = self._line.recv(4096)
            if not part:
                raise OSError("cut")
            heard += part
        return heard.decode().splitlines()[:-1]
