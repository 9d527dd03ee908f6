"""The simulated rail as a process of its own: lines of G-code on a loopback port.

Besides the words of a real rail (see :mod:`amber_ladder.devices.gcode_rail`) it knows three that only the simulated
camera and the practice switches use: ``M150`` tells where the carriage really is, ``M151 {json}`` changes its build,
``M152`` tells where the stage really is.
"""

import asyncio
import json
import re
import time
from collections.abc import Callable, Iterable
from dataclasses import asdict, fields

from amber_ladder.errors import BadInput
from amber_ladder.simulated.rail.mechanics import Build, RailMechanics

_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)"
_WORD = re.compile(rf"([A-Z])\s*({_NUMBER})\s*")
_LETTERS = "GMFN"  # N numbers a line
_LONGEST_LINE = 2_000


def _stage() -> Build:
    """An axis of the stage: it counts from its middle, and knows where it is from the start."""
    return Build(min_um=-15_000.0, max_um=15_000.0, backlash_um=15.0)


class RailServer:
    """Serves one rail to any number of lines. ``trouble`` is how the line fails: None, "silence" or "garbage".

    With a ``stage`` the same controller moves two more axes, Y and Z.
    """

    def __init__(self, build: Build | None = None, *, stage: bool = False) -> None:
        self.mechanics = RailMechanics(build or Build())
        self._axes = {"X": self.mechanics}
        if stage:
            self._axes |= {axis: RailMechanics(_stage(), homed=True, _motor_um=0.0, _carriage_um=0.0) for axis in "YZ"}
        self.trouble: str | None = None
        self._relative = False
        self._unit_um = 1e3

    async def serve(self, port: int, *, say: bool = True) -> None:
        """Listen on 127.0.0.1 until cancelled. Raises BadInput when the port is taken."""
        try:
            server = await asyncio.start_server(self._talk, "127.0.0.1", port, limit=_LONGEST_LINE)
        except OSError as error:
            raise BadInput(f"port {port} cannot be opened ({error.strerror}): name another", field="port") from error
        if say:
            print(f"The simulated rail listens at socket://127.0.0.1:{server.sockets[0].getsockname()[1]}", flush=True)
        async with server:
            await server.serve_forever()

    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            while line := await reader.readline():
                text = line.decode("ascii", "replace")
                answer = self.answer(text)
                if text.startswith("M15"):
                    pass  # the simulation's own words work whatever becomes of the line
                elif self.trouble == "silence":
                    continue
                elif self.trouble == "garbage":
                    answer = "~%\x7f?" * 3
                writer.write(answer.encode() + b"\n")
                await writer.drain()
        except (ConnectionError, ValueError):
            pass  # the line was cut, or somebody sends what is no G-code
        finally:
            writer.close()

    def answer(self, line: str) -> str:
        """What is answered to one line; several words may stand in it."""
        now_s = time.monotonic()
        if line.startswith("M151"):
            self._rebuild(json.loads(line[4:]))
            return "ok"
        bare = re.sub(r"\(.*?\)|;.*", "", line.upper()).strip()
        words = _WORD.findall(bare)
        rest = _WORD.sub("", bare).strip()
        # Where to home is told by the bare letter of an axis.
        named = [axis for axis in self._axes if re.search(rf"{axis}(?!\s*{_NUMBER})", rest)]
        rest = "".join(one for one in rest if one not in named).strip() if "G28" in bare else rest
        unknown = [letter for letter, _ in words if letter not in _LETTERS and letter not in self._axes]
        if rest or unknown:
            return f"error: {rest or unknown[0]} is not understood: nothing was done"
        told: list[str] = []
        values = {letter: float(number) for letter, number in words if letter == "F" or letter in self._axes}
        try:
            for letter, number in words:
                if letter in "GM":
                    told += self._obey(f"{letter}{float(number):g}", values, named, now_s)
        except BadInput as error:
            return f"error: {error}"
        return "\n".join([*told, "ok"])

    def _obey(self, word: str, values: dict[str, float], named: list[str], now_s: float) -> list[str]:
        match word:
            case "G20" | "G21":
                self._unit_um = 25_400.0 if word == "G20" else 1e3
            case "G90" | "G91":
                self._relative = word == "G91"
            case "G28":
                self._each(named or self._axes, RailMechanics.home, now_s)
            case "G0" | "G1":
                for axis in self._axes.keys() & values:
                    self._send(self._axes[axis], values[axis], values.get("F"), now_s)
            case "M112":
                self._each(self._axes, RailMechanics.halt, now_s)
            case "M114":
                return [" ".join(f"{axis}:{one.reported_um(now_s) / 1e3:.4f}" for axis, one in self._axes.items())]
            case "M150":
                return [json.dumps({**asdict(self.mechanics.truth(now_s)), "build": asdict(self.mechanics.build)})]
            case "M152":
                return [json.dumps([one.truth(now_s).carriage_um for axis, one in self._axes.items() if axis != "X"])]
            case _:
                raise BadInput(f"{word} is not known here")
        return []

    def _each(self, axes: Iterable[str], order: Callable[[RailMechanics, float], None], now_s: float) -> None:
        for axis in axes:
            order(self._axes[axis], now_s)

    def _send(self, axis: RailMechanics, value: float, feed: float | None, now_s: float) -> None:
        if feed is not None:
            axis.build.speed_um_s = max(feed * self._unit_um / 60.0, 1.0)
        start_um = axis.reported_um(now_s) if self._relative else 0.0
        axis.send(start_um + value * self._unit_um, now_s)

    def _rebuild(self, changes: dict[str, float | str | bool | None]) -> None:
        for one in fields(Build):
            if one.name in changes:
                setattr(self.mechanics.build, one.name, float(changes[one.name] or 0.0))
        if "homed" in changes:
            self.mechanics.homed = bool(changes["homed"])
        if "trouble" in changes:
            self.trouble = str(changes["trouble"]) if changes["trouble"] else None
