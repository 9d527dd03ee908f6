"""One thing at a time that uses the devices, each in a thread of its own."""

import logging
import threading
from collections.abc import Callable
from dataclasses import dataclass, field

from amber_ladder.errors import AmberLadderError, Conflict, DeviceTrouble, Stopped

log = logging.getLogger(__name__)

MOVING = "moving"
_HAND_OVER_S = 10.0


@dataclass(slots=True)
class _Activity:
    what: str
    stop: Callable[[], None]
    ended: threading.Event = field(default_factory=threading.Event)


class Activities:
    """``said`` is what the last one had to say.

    ``told`` is called whenever one begins or ends, ``troubled`` when a device failed.
    """

    def __init__(self, *, told: Callable[[], None], troubled: Callable[[str], None]) -> None:
        self.said: str | None = None
        self._told, self._troubled = told, troubled
        self._current: _Activity | None = None

    @property
    def busy(self) -> str | None:
        """What goes on, None for nothing."""
        current = self._current
        return current.what if current else None

    def begin(self, what: str, work: Callable[[], None], stop: Callable[[], None]) -> None:
        """Begin; the bench must be free."""
        activity = self._current = _Activity(what, stop)
        self.said = None

        def thread() -> None:
            try:
                work()
            except Stopped:
                pass
            except DeviceTrouble as error:
                self.said = str(error)
                self._troubled(str(error))
            except AmberLadderError as error:
                self.said = str(error)
            except Exception as error:
                log.exception("%s failed", what)
                self.said = f"our fault: {type(error).__name__}: {error}"
            finally:
                self._current = None
                activity.ended.set()
                self._told()

        threading.Thread(target=thread, name=what, daemon=True).start()
        self._told()

    def stop(self, *, patience_s: float = _HAND_OVER_S) -> bool:
        """Stop what goes on; whether it has ended."""
        current = self._current
        if current is None:
            return True
        current.stop()
        return current.ended.wait(patience_s)

    def free(self) -> None:
        """Raises Conflict while something goes on. A mere move is stopped first."""
        if self.busy == MOVING and not self.stop():
            raise DeviceTrouble("the rail does not stop: switch it off")
        busy = self.busy
        if busy:
            raise Conflict(f"the bench is busy: {busy}. Wait for it or stop it")
