"""Cabinet: all specimens, found by text and kind, and how far each has come."""

from amber_ladder.work.cabinet.lists import ListView, bring_list, try_list
from amber_ladder.work.cabinet.specimens import (
    CabinetRow,
    CabinetView,
    SpecimenEntry,
    add_specimen,
    browse,
    edit_specimen,
    offered,
    read_specimen,
)

__all__ = [
    "CabinetRow",
    "CabinetView",
    "ListView",
    "SpecimenEntry",
    "add_specimen",
    "bring_list",
    "browse",
    "edit_specimen",
    "offered",
    "read_specimen",
    "try_list",
]
