"""What people do: written down with what stood before, undone, thrown away and brought back."""

from amber_ladder.work.deeds.discarding import (
    KEPT_DAYS,
    DiscardEntry,
    DiscardView,
    discard,
    discarded,
    remove_old,
    restore,
)
from amber_ladder.work.deeds.undoing import DeedView, last_deed, latest_deeds, undo

__all__ = [
    "KEPT_DAYS",
    "DeedView",
    "DiscardEntry",
    "DiscardView",
    "discard",
    "discarded",
    "last_deed",
    "latest_deeds",
    "remove_old",
    "restore",
    "undo",
]
