"""The line to the rail: opened when it is needed, dropped when it fails, asked from any thread."""

import logging
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from datetime import datetime

from amber_ladder.devices.gcode_rail import GcodeRail
from amber_ladder.devices.protocols import Rail
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import AmberLadderError, DeviceTrouble
from amber_ladder.store.base import now
from amber_ladder.work.shoot.opening import open_rail
from amber_ladder.work.shoot.orders import BenchSettings

log = logging.getLogger(__name__)

_STARTS_S = 30.0
_PAUSE_S = 0.5  # between two tries of a rail that is silent


class RailLine:
    """The bench's one rail. ``trouble`` says why it could not be reached, the last time it was tried, and

    ``trouble_since`` when that began. While it is silent nobody who merely looks waits for it: it is tried again in the
    background; whoever wants it to move tries at once.
    """

    def __init__(self, settings: Callable[[], BenchSettings]) -> None:
        self.trouble: str | None = None
        self.trouble_since: datetime | None = None
        self._settings = settings
        # A lock of its own: the rail can be asked where it is while a scene is still being built.
        self._turn = threading.RLock()
        self._rail: GcodeRail | None = None
        self._trying = threading.Lock()

    def rail(self) -> GcodeRail:
        """The rail, connected. Raises DeviceTrouble, and remembers it."""
        with self._turn:
            if self._rail is None:
                try:
                    self._rail = open_rail(self._settings())
                except DeviceTrouble as error:
                    self._note(str(error))
                    raise
                self.trouble = self.trouble_since = None
            return self._rail

    def drop(self) -> None:
        """Close the line; it is opened anew when it is next needed."""
        with self._turn:
            if self._rail:
                self._rail.close()
            self._rail = None

    def position_um(self, *, in_use: bool) -> float | None:
        """Where it is, None when it does not answer. One that is ``in_use`` is left to who meets the same trouble."""
        if self._rail is None and self.trouble is not None:
            self._try_again()
            return None
        try:
            return self.rail().position_um()
        except DeviceTrouble as error:
            log.info("the rail: %s", error)
            self._note(str(error))
            if not in_use:
                self.drop()
            return None

    def _note(self, trouble: str) -> None:
        self.trouble = trouble
        self.trouble_since = self.trouble_since or now()

    def _try_again(self) -> None:
        """In the background, one try at a time; each look that finds the rail silent asks for the next."""
        if not self._trying.acquire(blocking=False):
            return

        def knock() -> None:
            try:
                time.sleep(_PAUSE_S)
                with suppress(AmberLadderError):
                    self.rail()
            finally:
                self._trying.release()

        threading.Thread(target=knock, name="trying the rail again", daemon=True).start()

    def move_to(self, target_um: float, stop: StopToken) -> float | None:
        """Move; a rail that was switched on anew finds its end first, which lies away from the specimen."""
        return moved(self.rail(), target_um, stop)

    def await_start(self) -> None:
        """A station that starts brings up its simulated rail at the same time."""
        end = time.monotonic() + _STARTS_S
        while self.position_um(in_use=False) is None and time.monotonic() < end:
            time.sleep(0.2)


def moved(rail: Rail, target_um: float, stop: StopToken) -> float | None:
    """Move; an axis that was switched on anew finds its end first. Where it then says it is."""
    try:
        return rail.move_to(target_um, stop)
    except DeviceTrouble as error:
        if "not homed" not in str(error):
            raise
        rail.home(stop)
        return rail.move_to(target_um, stop)
