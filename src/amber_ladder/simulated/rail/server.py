"""The simulated rail as a process of its own: lines of G-code on a loopback port.

Besides the words of a real rail (see :mod:`amber_ladder.devices.gcode_rail`) it knows two that only the simulated
camera and the practice switches use: ``M150`` tells where the carriage really is, ``M151 {json}`` changes its build.
"""

import asyncio
import json
import re
import time
from dataclasses import asdict, fields

from amber_ladder.errors import BadInput
from amber_ladder.simulated.rail.mechanics import Build, RailMechanics

_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)"
_WORD = re.compile(rf"([A-Z])\s*({_NUMBER})\s*")
_LETTERS = "GMXFN"  # N numbers a line
_LONGEST_LINE = 2_000


class RailServer:
    """Serves one rail to any number of lines. ``trouble`` is how the line fails: None, "silence" or "garbage"."""

    def __init__(self, build: Build | None = None) -> None:
        self.mechanics = RailMechanics(build or Build())
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
        unknown = [letter for letter, _ in words if letter not in _LETTERS]
        if rest or unknown:
            return f"error: {rest or unknown[0]} is not understood: nothing was done"
        told: list[str] = []
        values = {letter: float(number) for letter, number in words if letter in "XF"}
        try:
            for letter, number in words:
                if letter in "GM":
                    told += self._obey(f"{letter}{float(number):g}", values, now_s)
        except BadInput as error:
            return f"error: {error}"
        return "\n".join([*told, "ok"])

    def _obey(self, word: str, values: dict[str, float], now_s: float) -> list[str]:
        match word:
            case "G20" | "G21":
                self._unit_um = 25_400.0 if word == "G20" else 1e3
            case "G90" | "G91":
                self._relative = word == "G91"
            case "G28":
                self.mechanics.home(now_s)
            case "G0" | "G1":
                if "F" in values:
                    self.mechanics.build.speed_um_s = max(values["F"] * self._unit_um / 60.0, 1.0)
                if "X" in values:
                    start_um = self.mechanics.reported_um(now_s) if self._relative else 0.0
                    self.mechanics.send(start_um + values["X"] * self._unit_um, now_s)
            case "M112":
                self.mechanics.halt(now_s)
            case "M114":
                return [f"X:{self.mechanics.reported_um(now_s) / 1e3:.4f}"]
            case "M150":
                return [json.dumps({**asdict(self.mechanics.truth(now_s)), "build": asdict(self.mechanics.build)})]
            case _:
                raise BadInput(f"{word} is not known here")
        return []

    def _rebuild(self, changes: dict[str, float | str | bool | None]) -> None:
        for one in fields(Build):
            if one.name in changes:
                setattr(self.mechanics.build, one.name, float(changes[one.name] or 0.0))
        if "homed" in changes:
            self.mechanics.homed = bool(changes["homed"])
        if "trouble" in changes:
            self.trouble = str(changes["trouble"]) if changes["trouble"] else None
