"""The day: what is shot on a date, in which order, when, and what does not fit."""

from amber_ladder.work.day.entries import BreakEntry, DayEntry, ItemEntry, VanishesEntry
from amber_ladder.work.day.learnt import learnt
from amber_ladder.work.day.lists import DayChange, change, propose, read
from amber_ladder.work.day.views import DayView, ItemView, Totals

__all__ = [
    "BreakEntry",
    "DayChange",
    "DayEntry",
    "DayView",
    "ItemEntry",
    "ItemView",
    "Totals",
    "VanishesEntry",
    "change",
    "learnt",
    "propose",
    "read",
]
