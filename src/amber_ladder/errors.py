"""The one family of errors that a user may meet: what happened, where, and what to do now."""

import errno


class AmberLadderError(Exception):
    """Base of every error whose message is meant to be read by the person at the bench."""


class BadInput(AmberLadderError):
    """Something given cannot be used. ``field`` names the entry it belongs to, dotted as in the JSON."""

    def __init__(self, message: str, *, field: str | None = None) -> None:
        super().__init__(message)
        self.field = field


class UnreadablePicture(BadInput):
    """A file is no picture, is cut short, or cannot be taken; ``reason`` is fit to stand beside its name."""

    def __init__(self, name: str, reason: str) -> None:
        super().__init__(f"{name}: {reason}")
        self.name = name
        self.reason = reason


class NotFound(AmberLadderError):
    """What was asked for does not exist."""


class Conflict(AmberLadderError):
    """The request is sound but contradicts what is there already."""


class Collided(Conflict):
    """Two changes waited for each other, and this one gave way: done again, it goes through."""


class Stale(Conflict):
    """Somebody else changed it since it was read: nothing was written. ``field`` marks it as that."""

    field = "revision"

    def __init__(self, what: str) -> None:
        super().__init__(f"{what} was changed meanwhile, in another window or by somebody else: nothing was saved yet")


class TooMany(AmberLadderError):
    """Asked too often: the next attempts have to wait."""


class StorageFull(AmberLadderError):
    """The disk has no room left; nothing was written under its final name."""


class DatabaseAway(AmberLadderError):
    """The database does not answer; nothing was changed."""


class DeviceTrouble(AmberLadderError):
    """A device on the bench is silent, unplugged, or refuses; what was shot before is kept."""


class OutOfReach(BadInput):
    """A move that would leave the rail's travel or touch the specimen; nothing moved."""


class Stopped(AmberLadderError):
    """The work was stopped by the person who started it; nothing was written under its final name."""


class TakenOver(AmberLadderError):
    """Somebody else does this work by now: whoever had it before writes nothing more."""


class SharedStoreAway(AmberLadderError):
    """The store that workers on several machines share does not answer, or refuses; it is tried again."""


def storage_trouble(error: OSError) -> str | None:
    """What is wrong with the disk, and what to do; None for an error that is of another kind."""
    if disk_is_full(error):
        return "No room left on the disk: nothing was stored. Free some space and try again."
    if error.errno in (errno.EROFS, errno.EACCES, errno.EPERM):
        where = f": {error.filename}" if error.filename else ""
        return (
            f"The data folder cannot be written to{where}. Nothing was stored; let whoever looks after the station see "
            "to its disk and its owner."
        )
    if error.errno == errno.EIO:
        return "The disk failed while it was read or written. Nothing was stored; run ./ladder doctor."
    return None


def disk_is_full(error: OSError) -> bool:
    """Whether the system refused to write for want of room."""
    return error.errno in (errno.ENOSPC, errno.EDQUOT)
