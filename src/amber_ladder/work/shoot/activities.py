"""One thing at a time that uses the devices, each in a thread of its own, and every wish to stop."""

import logging
import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from weakref import WeakSet

from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import AmberLadderError, Conflict, DeviceTrouble, Stopped

log = logging.getLogger(__name__)

MOVING = "moving"
HOLD_LIVES_S = 0.7
"""A held move ends by itself when the page has not said for so long that the key is still down."""
_FIRST_S = 2.0  # until a page that is slow has said so for the first time
_HAND_OVER_S = 10.0
_HOLDS_KEPT = 200


@dataclass(slots=True)
class _Activity:
    what: str
    stop: StopToken
    ended: threading.Event = field(default_factory=threading.Event)


class Activities:
    """``said`` is what the last one had to say.

    A request asks for its token as it arrives, before it waits for its turn: a stop that is said from then on reaches
    it, wherever it is. ``told`` is called whenever an activity begins or ends, ``troubled`` when a device failed.
    """

    def __init__(self, *, told: Callable[[], None], troubled: Callable[[str], None]) -> None:
        self.said: str | None = None
        self._told, self._troubled = told, troubled
        self._current: _Activity | None = None
        self._turn = threading.Lock()
        self._asked: WeakSet[StopToken] = WeakSet()
        self._holds: dict[str, StopToken] = {}
        self._released: deque[str] = deque(maxlen=_HOLDS_KEPT)

    @property
    def busy(self) -> str | None:
        """What goes on, None for nothing."""
        current = self._current
        return current.what if current else None

    def ask(self, hold: str | None = None) -> StopToken:
        """The token of a request that has just arrived. One whose ``hold`` was released before is stopped already."""
        token = StopToken() if hold is None else StopToken(lives_s=HOLD_LIVES_S, first_s=_FIRST_S)
        with self._turn:
            self._asked.add(token)
            if hold is not None:
                self._holds = dict(list(self._holds.items())[-_HOLDS_KEPT:])
                self._holds[hold] = token
                if hold in self._released:
                    token.stop()
        return token

    def renew(self, hold: str) -> bool:
        """The key is still down; whether its move goes on."""
        token = self._holds.get(hold)
        if token is None or token.stopped:
            return False
        token.renew()
        return True

    def release(self, hold: str) -> None:
        """The key was let go: its move ends, even one that has not arrived yet."""
        with self._turn:
            self._released.append(hold)
            token = self._holds.get(hold)
        if token:
            token.stop()

    def begin_awaited(self, what: str, work: Callable[[], None], stop: StopToken) -> Callable[[], None]:
        """Begin; the bench must be free. Returns what waits for its end and raises what it raised."""
        failed = list[BaseException]()

        def noted() -> None:
            try:
                work()
            except BaseException as error:
                failed.append(error)
                raise

        ended = self.begin(what, noted, stop)

        def wait() -> None:
            ended.wait()
            if failed:
                self.said = None  # whoever asked is told
                raise failed[0]

        return wait

    def begin(self, what: str, work: Callable[[], None], stop: StopToken) -> threading.Event:
        """Begin; the bench must be free. Returns what is set when it has ended."""
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
        return activity.ended

    def stop(self, *, patience_s: float = _HAND_OVER_S) -> bool:
        """Stop what goes on and every request that still waits; whether what went on has ended."""
        with self._turn:
            for token in self._asked:
                token.stop()
        return self._ended(patience_s)

    def free(self) -> None:
        """Raises Conflict while something goes on. A mere move is stopped first."""
        current = self._current
        if current is not None and current.what == MOVING:
            current.stop.stop()
            if not current.ended.wait(_HAND_OVER_S):
                raise DeviceTrouble("the rail does not stop: switch it off")
        busy = self.busy
        if busy:
            raise Conflict(f"the bench is busy: {busy}. Wait for it or stop it")

    def _ended(self, patience_s: float) -> bool:
        current = self._current
        return current is None or current.ended.wait(patience_s)


def check_begun(stop: StopToken) -> None:
    """Raises Conflict for work that was told to stop before it began."""
    if stop.stopped:
        raise Conflict("stopped before it began: nothing was shot")
