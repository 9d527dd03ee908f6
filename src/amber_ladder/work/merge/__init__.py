"""Merge: from sorted frames to composite, depth and report."""

from amber_ladder.work.merge.counting import let_count
from amber_ladder.work.merge.depths import DepthAt, DepthView, depth_at, depth_of
from amber_ladder.work.merge.merges import MergeEntry, begin_merge, merge_take
from amber_ladder.work.merge.patches import PatchEntry, try_patch

__all__ = [
    "DepthAt",
    "DepthView",
    "MergeEntry",
    "PatchEntry",
    "begin_merge",
    "depth_at",
    "depth_of",
    "let_count",
    "merge_take",
    "try_patch",
]
