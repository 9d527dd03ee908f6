"""Waiting for a database that is away, or for room on its disk: both come back, and the work goes on."""

import logging
import time
from collections.abc import Callable
from math import inf
from typing import TypeVar

from amber_ladder.errors import DatabaseAway, StorageFull

_AGAIN_S = 0.5
T = TypeVar("T")

log = logging.getLogger(__name__)


def patiently(work: Callable[[], T], *, patience_s: float = inf, for_room: bool = False) -> T:
    """Do it again as long as the database is away, or, ``for_room``, while its disk is full.

    Raises DatabaseAway or StorageFull when patience ends.
    """
    end, told = time.monotonic() + patience_s, False
    while True:
        try:
            return work()
        except (DatabaseAway, StorageFull) as error:
            if time.monotonic() > end or (isinstance(error, StorageFull) and not for_room):
                raise
            if not told:
                log.warning("this waits until it works again: %s", error)
                told = True
            time.sleep(_AGAIN_S)
