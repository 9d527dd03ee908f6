"""Merge: from sorted frames to composite, depth and report."""

from amber_ladder.work.long_work import LongWork
from amber_ladder.work.merge.counting import let_count
from amber_ladder.work.merge.depths import ContoursView, DepthAt, DepthView, contours_of, depth_at, depth_of
from amber_ladder.work.merge.elsewhere import merge_elsewhere
from amber_ladder.work.merge.laying import LAYING, LayEntry, begin_laying
from amber_ladder.work.merge.merges import KIND, MergeEntry, begin_merge, merge_take
from amber_ladder.work.merge.patches import PatchEntry, try_patch

MERGING = LongWork(
    KIND,
    {"fetch": (0.0, 0.0), "develop": (0.0, 0.0), "register": (0.0, 0.45), "merge": (0.45, 0.5), "save": (0.95, 0.05)},
    by_worker=merge_take,
    elsewhere=merge_elsewhere,
)

__all__ = [
    "LAYING",
    "MERGING",
    "ContoursView",
    "DepthAt",
    "DepthView",
    "LayEntry",
    "MergeEntry",
    "PatchEntry",
    "begin_laying",
    "begin_merge",
    "contours_of",
    "depth_at",
    "depth_of",
    "let_count",
    "merge_take",
    "try_patch",
]
