"""A rail that speaks plain lines of G-code (the open words of RS-274) over a serial line or a socket.

Only these words are used: ``G21`` (mm), ``G90`` (absolute), ``G28`` (home), ``G1 X<mm> F<mm/min>``, ``M114``
(answers ``X:<mm>``), ``M112`` (stop). Each line is answered by ``ok`` or ``error: <reason>``. A controller may answer a
move when it accepts it or when it ends: arrival is read from the position.

A controller of more axes moves a stage too, by ``Y`` and ``Z`` in place of ``X``: ``G1 Y<mm>``, ``G28 Y``, and
``M114`` answers ``X:<mm> Y:<mm> Z:<mm>``.
"""

import re
import time
from collections import deque
from math import isfinite
from typing import Literal

from amber_ladder.devices.gcode_line import ANSWER_S, GcodeLine
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import DeviceTrouble, OutOfReach, Stopped

Axis = Literal["X", "Y", "Z"]
_OTHERS = re.compile(r"\b[YZ]:")
_FINE_DIGITS = 3  # of a mm: a controller that tells fewer says too little of where a frame lies
_POLL_S = 0.004
_THERE_UM = 0.06  # half of the last digit that controllers usually tell
_COARSEST_CLICK_UM = 6.0
_RESTING_S = 0.1
_SLOWER = 3.0  # slowing down evenly, the last click takes 2.4 times as long as the one before
_LAST_CLICKS = 4
_NOT_MOVED_S = 0.5  # without a click before a move counts as too small for one: slow rails take time to begin
_STUCK_S = 3.0
_LONGEST_MOVE_S = 120.0


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
    """A rail at a pyserial address: ``/dev/ttyUSB0`` or ``socket://127.0.0.1:port``. Raises DeviceTrouble.

    One of a stage is another ``axis`` of the same controller, on the same ``line``.
    """

    def __init__(
        self,
        address: str,
        *,
        speed_mm_s: float = 4.0,
        answer_s: float = ANSWER_S,
        axis: Axis = "X",
        line: GcodeLine | None = None,
    ) -> None:
        self.address, self._axis = address, axis
        self._feed = speed_mm_s * 60.0
        self._answer_s = answer_s
        self._digits = _FINE_DIGITS
        self._several = False
        self._told = re.compile(rf"\b{axis}:\s*(-?\d+(?:\.(\d+))?)")
        self._line = line or GcodeLine(address, answer_s=answer_s)
        try:
            self._line.ask("G21")
            self._line.ask("G90")
            self.position_um()
        except BaseException:
            if line is None:
                self.close()
            raise

    def beside(self, axis: Axis) -> "GcodeRail":
        """Another axis of the same controller. Raises DeviceTrouble where it has none."""
        return GcodeRail(self.address, answer_s=self._answer_s, axis=axis, line=self._line)

    def position_um(self) -> float:
        """What the controller says."""
        for said in self._line.ask("M114"):
            found = self._told.search(said)
            self._several = bool(_OTHERS.search(said))
            if found:
                self._digits = len(found.group(2) or "")
                return round(float(found.group(1)) * 1e3, 6)  # not 502.49999999999994
        raise DeviceTrouble(f"the rail at {self.address} did not say where it is (M114 brought no {self._axis})")

    def move_to(self, position_um: float, stop: StopToken) -> float | None:
        """Move and wait for rest. Raises OutOfReach, Stopped, DeviceTrouble."""
        if not isfinite(position_um):
            raise OutOfReach("a position must be a number", field="position_um")
        stop.check()
        began_um = self.position_um()
        # A controller may answer only when the move has ended.
        takes_s = 1.5 * abs(position_um - began_um) * 60.0 / (self._feed * 1e3)
        patience_s = takes_s + 2.0 * self._answer_s
        self._line.ask(f"G1 {self._axis}{position_um / 1e3:.6f} F{self._feed:.0f}", patience_s=patience_s, stop=stop)
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
        # The bare word would run a stage to its end too, with a specimen on it.
        self._line.ask(f"G28 {self._axis}" if self._several else "G28", patience_s=_LONGEST_MOVE_S, stop=stop)
        watch, started = _Watch(self.position_um()), time.monotonic()
        while not watch.rests:
            self._stop_if_told(stop)
            time.sleep(_POLL_S)
            watch.look(self.position_um())
            if time.monotonic() - started > _LONGEST_MOVE_S:
                raise DeviceTrouble("the rail does not find its end: look whether its switch works")

    def _stop_if_told(self, stop: StopToken) -> None:
        if stop.stopped:
            self._line.ask("M112")
            raise Stopped("the rail was stopped")

    def close(self) -> None:
        """Close the line."""
        self._line.close()
