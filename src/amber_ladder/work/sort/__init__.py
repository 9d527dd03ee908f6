"""Sort: which frames of a take are merged, and how they are developed."""

from amber_ladder.work.sort.by_hand import LeaveOutEntry, leave_out, take_back
from amber_ladder.work.sort.development import DevelopmentEntry, preview, set_development

__all__ = ["DevelopmentEntry", "LeaveOutEntry", "leave_out", "preview", "set_development", "take_back"]
