"""Sort: which frames of a take are merged."""

from amber_ladder.work.sort.by_hand import LeaveOutEntry, leave_out, take_back

__all__ = ["LeaveOutEntry", "leave_out", "take_back"]
