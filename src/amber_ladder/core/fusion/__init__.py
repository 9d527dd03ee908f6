"""Merging a registered stack: depth pick, pyramid, contrast blend, and the survey all of them start from."""

from amber_ladder.core.fusion._merge import METHODS, Merged, Method, merge
from amber_ladder.core.fusion._survey import Excluded, Order, Survey, survey

__all__ = ["METHODS", "Excluded", "Merged", "Method", "Order", "Survey", "merge", "survey"]
