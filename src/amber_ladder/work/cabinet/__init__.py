"""Cabinet: all specimens, found by text and kind, and how far each has come."""

from amber_ladder.work.cabinet.specimens import (
    CabinetRow,
    CabinetView,
    SpecimenEntry,
    add_specimen,
    browse,
    edit_specimen,
    read_specimen,
)

__all__ = ["CabinetRow", "CabinetView", "SpecimenEntry", "add_specimen", "browse", "edit_specimen", "read_specimen"]
