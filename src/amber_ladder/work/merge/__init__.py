"""Merge: from sorted frames to composite, depth and report."""

from amber_ladder.work.merge.merges import MergeEntry, begin_merge, merge_take

__all__ = ["MergeEntry", "begin_merge", "merge_take"]
