"""Commands that need the data beside a station that may be running."""

import os
from collections.abc import Iterator
from contextlib import contextmanager

from amber_ladder.launch.data_lock import InUse
from amber_ladder.launch.serve import Station, data_folder
from amber_ladder.launch.user import give_back


@contextmanager
def visiting(*, writes: bool = False) -> Iterator[Station]:
    """The station's data with its database: that of the one that runs, else started for as long as this takes.

    ``writes`` is said by those who change files: what root writes becomes the station's own.

    This process is pointed at it. ``station.lock.held`` tells whether nobody else works with it meanwhile.
    """
    os.umask(0o077)
    station = Station(data_folder())
    try:
        station.open_database()
    except InUse:
        station.join_database()
    try:
        yield station
    finally:
        station.stop()
        if writes:
            give_back(station.data)
        os.environ.pop("AMBER_LADDER_DATABASE_URL", None)
