"""Waiting for a database that is away, for room on its disk, or for a change in the way: all of it passes."""

import logging
import time
from collections.abc import Callable
from math import inf
from typing import TypeVar

from amber_ladder.errors import Collided, DatabaseAway, StorageFull

_AGAIN_S = 0.5
T = TypeVar("T")

log = logging.getLogger(__name__)


def patiently(work: Callable[[], T], *, patience_s: float = inf, for_room: bool = False) -> T:
    """Do it again as long as the database is away or other changes collide with it, or, ``for_room``, its disk is full.

    Raises DatabaseAway, Collided or StorageFull when patience ends.
    """
    end, told = time.monotonic() + patience_s, False
    while True:
        try:
            return work()
        except (Collided, DatabaseAway, StorageFull) as error:
            if time.monotonic() > end or (isinstance(error, StorageFull) and not for_room):
                raise
            if not told:
                log.warning("this waits until it works again: %s", error)
                told = True
            time.sleep(_AGAIN_S)
