"""Keeping a station sound: what is missing or damaged on its disk, and when it was last backed up."""

from amber_ladder.work.upkeep.doctor import Finding, examine, remove_half_made
from amber_ladder.work.upkeep.state import LastBackup, StationView, note_backup, read_station

__all__ = ["Finding", "LastBackup", "StationView", "examine", "note_backup", "read_station", "remove_half_made"]
