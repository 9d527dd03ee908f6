"""A rail that speaks plain lines of G-code (the open words of RS-274) over a serial line or a socket.

Only these words are used: ``G21`` (mm), ``G90`` (absolute), ``G28`` (home), ``G1 X<mm> F<mm/min>``, ``M114``
(answers ``X:<mm>``), ``M112`` (stop). Each line is answered by ``ok`` or ``error: <reason>``. A controller may answer a
move when it accepts it or when it ends: arrival is read from the position.
"""

import re
import threading
import time
from collections import deque
from math import isfinite

import serial

from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import DeviceTrouble, OutOfReach, Stopped

_POSITION = re.compile(r"\bX:\s*(-?\d+(?:\.(\d+))?)")
_FINE_DIGITS = 3  # of a mm: a controller that tells fewer says too little of where a frame lies
_ANSWER_S = 2.0
_POLL_S = 0.004
_THERE_UM = 0.06  # half of the last digit that controllers usually tell
_COARSEST_CLICK_UM = 6.0
_RESTING_S = 0.1
_SLOWER = 3.0  # slowing down evenly, the last click takes 2.4 times as long as the one before
_LAST_CLICKS = 4
_NOT_MOVED_S = 0.5  # without a click before a move counts as too small for one: slow rails take time to begin
_STUCK_S = 3.0
_LONGEST_MOVE_S = 120.0
_LONGEST_LINE = 400


class _Watch:
    """Tells a rail that rests from one that is slow: by how long it has stood still against its last clicks."""

    def __init__(self, at_um: float) -> None:
        self.at_um = at_um
        self._since_s = time.monotonic()
        self._patience_s = _NOT_MOVED_S
        self._clicks_s: deque[float] = deque(maxlen=_LAST_CLICKS)

    def look(self, at_um: float) -> float:
        """Note where it is now, and return that."""
        if at_um != self.at_um:
            now_s = time.monotonic()
            # Whoever looks late sees two clicks close together: the longest of the last ones counts.
            self._clicks_s.append(now_s - self._since_s)
            self._patience_s = max(_RESTING_S, _SLOWER * max(self._clicks_s))
            self.at_um, self._since_s = at_um, now_s
        return at_um

    @property
    def still_s(self) -> float:
        """For how long it has told the same position."""
        return time.monotonic() - self._since_s

    @property
    def rests(self) -> bool:
        """Whether it has stood still for longer than a rail that is still slowing down."""
        return self.still_s > self._patience_s


class GcodeRail:
    """A rail at a pyserial address: ``/dev/ttyUSB0`` or ``socket://127.0.0.1:port``. Raises DeviceTrouble."""

    def __init__(self, address: str, *, speed_mm_s: float = 4.0, answer_s: float = _ANSWER_S) -> None:
        self.address = address
        self._feed = speed_mm_s * 60.0
        self._answer_s = answer_s
        self._turn = threading.Lock()
        self._digits = _FINE_DIGITS
        try:
            self._line = serial.serial_for_url(address, baudrate=115_200, timeout=0.05, write_timeout=answer_s)
        except (OSError, ValueError) as error:
            raise DeviceTrouble(
                f"no rail answers at {address}: check that it is switched on, its cable, and the address"
            ) from error
        try:
            self._ask("G21")
            self._ask("G90")
            self.position_um()
        except BaseException:
            self.close()
            raise

    def position_um(self) -> float:
        """What the controller says."""
        for line in self._ask("M114"):
            found = _POSITION.search(line)
            if found:
                self._digits = len(found.group(2) or "")
                return round(float(found.group(1)) * 1e3, 6)  # not 502.49999999999994
        raise DeviceTrouble(f"the rail at {self.address} did not say where it is (M114 brought no X)")

    def move_to(self, position_um: float, stop: StopToken) -> float | None:
        """Move and wait for rest. Raises OutOfReach, Stopped, DeviceTrouble."""
        if not isfinite(position_um):
            raise OutOfReach("a position must be a number", field="position_um")
        stop.check()
        began_um = self.position_um()
        # A controller may answer only when the move has ended.
        takes_s = 1.5 * abs(position_um - began_um) * 60.0 / (self._feed * 1e3)
        patience_s = takes_s + 2.0 * self._answer_s
        self._ask(f"G1 X{position_um / 1e3:.6f} F{self._feed:.0f}", patience_s=patience_s, stop=stop)
        watch = _Watch(began_um)
        while abs(watch.look(self.position_um()) - position_um) > _THERE_UM:
            self._stop_if_told(stop)
            if abs(watch.at_um - position_um) <= _COARSEST_CLICK_UM:
                if watch.rests:
                    break  # between two clicks: this is as near as it gets
            elif watch.still_s > _STUCK_S:
                raise DeviceTrouble(
                    f"the rail stands still at {watch.at_um / 1e3:.3f} mm on its way to {position_um / 1e3:.3f} mm: "
                    "is it blocked, or at its end?"
                )
            time.sleep(_POLL_S)
        return watch.at_um if self._digits >= _FINE_DIGITS else None

    def home(self, stop: StopToken) -> None:
        """G28, and wait until the position rests."""
        stop.check()
        self._ask("G28", patience_s=_LONGEST_MOVE_S, stop=stop)
        watch, started = _Watch(self.position_um()), time.monotonic()
        while not watch.rests:
            self._stop_if_told(stop)
            time.sleep(_POLL_S)
            watch.look(self.position_um())
            if time.monotonic() - started > _LONGEST_MOVE_S:
                raise DeviceTrouble("the rail does not find its end: look whether its switch works")

    def _stop_if_told(self, stop: StopToken) -> None:
        if stop.stopped:
            self._ask("M112")
            raise Stopped("the rail was stopped")

    def close(self) -> None:
        """Close the line."""
        self._line.close()

    def _ask(self, words: str, *, patience_s: float | None = None, stop: StopToken | None = None) -> list[str]:
        """Send one line; return what came before its ``ok``. A move that is waited for here ends with ``stop``."""
        answers: list[str] = []
        with self._turn:
            end = time.monotonic() + (patience_s or self._answer_s)
            try:
                self._line.reset_input_buffer()
                self._line.write(words.encode("ascii") + b"\n")
                heard = b""
                while True:
                    # A slow line may be heard in pieces: nothing is believed before its end has come.
                    heard += self._line.read_until(b"\n", _LONGEST_LINE)
                    whole = heard.endswith(b"\n") or len(heard) >= _LONGEST_LINE
                    text = heard.decode("ascii", "replace").strip() if whole else ""
                    heard = b"" if whole else heard
                    if text == "ok":
                        return answers
                    if text.startswith("error:"):
                        raise _refusal(text.removeprefix("error:").strip())
                    if text:
                        answers.append(text)
                    if stop is not None and stop.stopped:
                        # A controller that answers a move at its end: its answer to the move comes with that to M112.
                        self._line.write(b"M112\n")
                        end = time.monotonic() + self._answer_s
                        answered = 0
                        while answered < 2 and time.monotonic() < end:
                            line = self._line.read_until(b"\n", _LONGEST_LINE)
                            answered += line.startswith((b"ok", b"error"))
                        raise Stopped("the rail was stopped")
                    if time.monotonic() > end:
                        raise self._silent(words, [*answers, heard.decode("ascii", "replace")] if heard else answers)
            except (OSError, serial.SerialException, AttributeError, TypeError) as error:
                # The last two are what pyserial meets when another thread has closed the line meanwhile.
                raise self._gone() from error

    def _silent(self, words: str, answers: list[str]) -> DeviceTrouble:
        word = words.partition(" ")[0]
        if answers:
            return DeviceTrouble(
                f"the rail at {self.address} answered {word} with {answers[-1][:40]!r}, which is not understood: "
                "check its line speed and that no other program uses it"
            )
        return DeviceTrouble(
            f"the rail at {self.address} gave no answer to {word}: check power and cable, then connect again"
        )

    def _gone(self) -> DeviceTrouble:
        return DeviceTrouble(f"the rail at {self.address} is gone: its line was cut. Plug it in and connect again")


def _refusal(reason: str) -> Exception:
    if "beyond" in reason:
        return OutOfReach(f"the rail refuses: {reason}", field="position_um")
    if reason == "stopped":
        return Stopped("the rail was stopped")
    return DeviceTrouble(f"the rail refuses: {reason}")
