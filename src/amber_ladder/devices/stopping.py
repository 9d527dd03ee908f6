"""How a request is stopped: by a token of its own, which holds from the moment it was said."""

import threading
import time

from amber_ladder.errors import Stopped


class StopToken:
    """Belongs to one request from the moment it was made. Once stopped it stays so: nobody can clear it.

    With ``lives_s`` it stops by itself unless it is renewed within that time: for what may go on only while somebody
    holds a key, and must end when the key-up, the page or the connection is lost. The first time may be longer
    (``first_s``): a request may have to wait for its turn.
    """

    def __init__(self, *, lives_s: float | None = None, first_s: float | None = None) -> None:
        self.event = threading.Event()
        """Set by :meth:`stop`; for those who wait for an event."""
        self._lives_s = lives_s
        self._ends_s = self._end(first_s)

    @property
    def stopped(self) -> bool:
        """Whether it was told to stop, or was not renewed in time."""
        return self.event.is_set() or time.monotonic() > self._ends_s

    def stop(self) -> None:
        """Stop, for good; from any thread."""
        self.event.set()

    def renew(self) -> None:
        """It is held still. One that has ended stays ended."""
        if not self.stopped:
            self._ends_s = self._end()

    def check(self) -> None:
        """Raises Stopped once it was told to stop."""
        if self.stopped:
            raise Stopped("stopped by hand")

    def _end(self, lives_s: float | None = None) -> float:
        lives_s = self._lives_s if lives_s is None else lives_s
        return float("inf") if lives_s is None else time.monotonic() + lives_s
