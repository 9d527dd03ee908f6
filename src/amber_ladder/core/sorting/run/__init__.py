"""From a run of files, as a card holds them, to stacks: borders, order, faults, ends, holes."""

from amber_ladder.core.sorting.run._file import SeenFile
from amber_ladder.core.sorting.run._flags import Flag, Hole
from amber_ladder.core.sorting.run._focus_order import FocusOrder
from amber_ladder.core.sorting.run._look import Look, look_at, sharp_parts, shrunk_by
from amber_ladder.core.sorting.run._pair import Against, Comparer, Small
from amber_ladder.core.sorting.run._proposal import Doubt, Proposal, propose, torn
from amber_ladder.core.sorting.run._split import Border
from amber_ladder.core.sorting.run._stack import Run, Stack, sort_run, sort_take
from amber_ladder.core.sorting.run._steps import Refocus, has_stayed, passed_over, refocus, steps_between
from amber_ladder.core.sorting.run._sweep import Thin

__all__ = [
    "Against",
    "Border",
    "Comparer",
    "Doubt",
    "Flag",
    "FocusOrder",
    "Hole",
    "Look",
    "Proposal",
    "Refocus",
    "Run",
    "SeenFile",
    "Small",
    "Stack",
    "Thin",
    "has_stayed",
    "look_at",
    "passed_over",
    "propose",
    "refocus",
    "sharp_parts",
    "shrunk_by",
    "sort_run",
    "sort_take",
    "steps_between",
    "torn",
]
