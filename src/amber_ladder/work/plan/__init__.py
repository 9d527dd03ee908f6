"""Plan: from what is wanted and a rig on the shelf to a saved ladder, with what it costs and what else would do."""

from amber_ladder.work.plan.again import plan_again
from amber_ladder.work.plan.before import BeforeView, read_before
from amber_ladder.work.plan.cautions import CautionEntry, cautions, circumstances, tick_caution
from amber_ladder.work.plan.ladders import EndsEntry, PlanEntry, change_ladder, read_stack, save_ladder, set_ends
from amber_ladder.work.plan.previews import (
    ByHandEntry,
    PlanPreview,
    SubjectEntry,
    VanishingEntry,
    VanishingView,
    WaysEntry,
    WayView,
    by_hand,
    other_ways,
    try_out,
    vanishing,
)
from amber_ladder.work.plan.tiles import TilesEntry, TileSetEntry, TilesPreview, TilesTrial, save_tiles, try_tiles

__all__ = [
    "BeforeView",
    "ByHandEntry",
    "CautionEntry",
    "EndsEntry",
    "PlanEntry",
    "PlanPreview",
    "SubjectEntry",
    "TileSetEntry",
    "TilesEntry",
    "TilesPreview",
    "TilesTrial",
    "VanishingEntry",
    "VanishingView",
    "WayView",
    "WaysEntry",
    "by_hand",
    "cautions",
    "change_ladder",
    "circumstances",
    "other_ways",
    "plan_again",
    "read_before",
    "read_stack",
    "save_ladder",
    "save_tiles",
    "set_ends",
    "tick_caution",
    "try_out",
    "try_tiles",
    "vanishing",
]
