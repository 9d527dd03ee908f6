"""A camera that somebody else fires: its frames are what arrives in the watched folder."""

import time
from collections import deque
from datetime import datetime
from pathlib import Path

from amber_ladder.devices.protocols import Exposure
from amber_ladder.devices.stopping import StopToken
from amber_ladder.devices.watched_folder import Arrival, WatchedFolder
from amber_ladder.errors import BadInput, DeviceTrouble, UnreadablePicture
from amber_ladder.formats.apart import examine_apart
from amber_ladder.formats.pictures import SUFFIXES, natural_key

_PATIENCE_S = 300.0


class FolderCamera:
    """Every exposure is the next complete file of the folder. What lies there already is left alone.

    Waiting for one ends at once when ``stop`` was told to. Raises BadInput for a folder that is gone.
    """

    def __init__(self, folder: Path, stop: StopToken) -> None:
        self._folder, self._stop = folder, stop
        there = names_in(folder)
        self._watched = WatchedFolder(folder, known=there, whole=why_unreadable, order=natural_key)
        self._arrived: deque[Arrival] = deque()

    def expose(self) -> Exposure:
        """Wait for the next file. Raises DeviceTrouble when none comes for five minutes, Stopped, UnreadablePicture."""
        end = time.monotonic() + _PATIENCE_S
        while time.monotonic() < end:
            self._arrived.extend(self._watched.ready(time.monotonic()))
            if self._arrived:
                path, reason = self._arrived[0].path, self._arrived.popleft().reason
                if reason:
                    raise UnreadablePicture(path.name, reason)
                info = examine_apart(path)
                taken = info.captured_at or datetime.fromtimestamp(path.stat().st_mtime)
                return Exposure(path.read_bytes(), SUFFIXES[info.format], taken, info.bits)
            self._stop.event.wait(0.1)
            self._stop.check()
        raise DeviceTrouble(
            f"no frame came into {self._folder} for five minutes: does the camera fire, and does it save there?"
        )


def names_in(folder: Path) -> set[str]:
    """What lies in a watched folder already. Raises BadInput when it is gone."""
    try:
        return {path.name for path in folder.iterdir()}
    except OSError as error:
        raise BadInput(f"the folder {folder} cannot be read: make it again, or name another", field="folder") from error


def why_unreadable(path: Path) -> str | None:
    """What is wrong with a file; None for a whole picture."""
    try:
        examine_apart(path)
    except UnreadablePicture as error:
        return error.reason
    except OSError:
        return "cannot be opened"
    return None
