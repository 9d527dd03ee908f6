"""Merging a registered stack: depth pick, pyramid, contrast blend, and the survey all of them start from."""

from amber_ladder.core.fusion._findings import Finding, findings
from amber_ladder.core.fusion._first_look import Excluded
from amber_ladder.core.fusion._growth import Growth
from amber_ladder.core.fusion._merge import METHODS, Merged, Method, Style, merge
from amber_ladder.core.fusion._moved import Moved, Side
from amber_ladder.core.fusion._patch import MARGIN_PX, Patch
from amber_ladder.core.fusion._pyramid import USUAL_WINDOW_PX
from amber_ladder.core.fusion._survey import Order, Survey, survey, usual_step

__all__ = [
    "MARGIN_PX",
    "METHODS",
    "USUAL_WINDOW_PX",
    "Excluded",
    "Finding",
    "Growth",
    "Merged",
    "Method",
    "Moved",
    "Order",
    "Patch",
    "Side",
    "Style",
    "Survey",
    "findings",
    "merge",
    "survey",
    "usual_step",
]
