"""Rigs: optical trains, the parts they are put together from, and their calibrations."""

from amber_ladder.work.rigs.trains import (
    BenchEntry,
    RigEntry,
    RigPreview,
    RigVersionView,
    RigView,
    add_rig,
    change,
    edit_rig,
    flash_from_bench,
    put_on_bench,
    shelf,
    try_out,
    versions,
)

__all__ = [
    "BenchEntry",
    "RigEntry",
    "RigPreview",
    "RigVersionView",
    "RigView",
    "add_rig",
    "change",
    "edit_rig",
    "flash_from_bench",
    "put_on_bench",
    "shelf",
    "try_out",
    "versions",
]
