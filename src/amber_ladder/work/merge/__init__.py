"""Merge: from sorted frames to composite, depth and report."""

from amber_ladder.work.merge.counting import let_count
from amber_ladder.work.merge.depths import ContoursView, DepthAt, DepthView, contours_of, depth_at, depth_of
from amber_ladder.work.merge.merges import MergeEntry, begin_merge, merge_take
from amber_ladder.work.merge.patches import PatchEntry, try_patch

__all__ = [
    "ContoursView",
    "DepthAt",
    "DepthView",
    "MergeEntry",
    "PatchEntry",
    "begin_merge",
    "contours_of",
    "depth_at",
    "depth_of",
    "let_count",
    "merge_take",
    "try_patch",
]
