"""Sort: which frames of a take are merged, and how they are developed."""

from amber_ladder.work.sort.by_hand import LeaveOutEntry, leave_out, take_back
from amber_ladder.work.sort.development import DevelopmentEntry, preview, set_development
from amber_ladder.work.sort.grey_card import BesideView, beside
from amber_ladder.work.sort.repair import RepairEntry, plan_repair
from amber_ladder.work.sort.sharp import sharp_of

__all__ = [
    "BesideView",
    "DevelopmentEntry",
    "LeaveOutEntry",
    "RepairEntry",
    "beside",
    "leave_out",
    "plan_repair",
    "preview",
    "set_development",
    "sharp_of",
    "take_back",
]
