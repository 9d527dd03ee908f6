"""The line to the rail: opened when it is needed, dropped when it fails, asked from any thread."""

import logging
import threading
import time
from collections.abc import Callable

from amber_ladder.devices.protocols import Rail
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import DeviceTrouble
from amber_ladder.work.shoot.opening import open_rail
from amber_ladder.work.shoot.views import BenchSettings

log = logging.getLogger(__name__)

_STARTS_S = 30.0


class RailLine:
    """The bench's one rail. ``trouble`` says why it could not be reached, the last time it was tried."""

    def __init__(self, settings: Callable[[], BenchSettings]) -> None:
        self.trouble: str | None = None
        self._settings = settings
        # A lock of its own: the rail can be asked where it is while a scene is still being built.
        self._turn = threading.RLock()
        self._rail: Rail | None = None

    def rail(self) -> Rail:
        """The rail, connected. Raises DeviceTrouble, and remembers it."""
        with self._turn:
            if self._rail is None:
                try:
                    self._rail = open_rail(self._settings())
                    self.trouble = None
                except DeviceTrouble as error:
                    self.trouble = str(error)
                    raise
            return self._rail

    def drop(self) -> None:
        """Close the line; it is opened anew when it is next needed."""
        with self._turn:
            if self._rail:
                self._rail.close()
            self._rail = None

    def position_um(self, *, in_use: bool) -> float | None:
        """Where it is, None when it does not answer. One that is ``in_use`` is left to who meets the same trouble."""
        try:
            return self.rail().position_um()
        except DeviceTrouble as error:
            log.info("the rail: %s", error)
            self.trouble = str(error)
            if not in_use:
                self.drop()
            return None

    def move_to(self, target_um: float, stop: StopToken) -> float | None:
        """Move; a rail that was switched on anew finds its end first, which lies away from the specimen."""
        rail = self.rail()
        try:
            return rail.move_to(target_um, stop)
        except DeviceTrouble as error:
            if "not homed" not in str(error):
                raise
            rail.home(stop)
            return rail.move_to(target_um, stop)

    def await_start(self) -> None:
        """A station that starts brings up its simulated rail at the same time."""
        end = time.monotonic() + _STARTS_S
        while self.position_um(in_use=False) is None and time.monotonic() < end:
            time.sleep(0.2)
