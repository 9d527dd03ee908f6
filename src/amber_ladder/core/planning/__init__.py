"""The ladder: where to shoot, how many frames, what that costs, what else would do, and what to mind."""

from amber_ladder.core.planning._before import Case, Proposal, Spread, spread, worked_before
from amber_ladder.core.planning._by_hand import ByHand, coverage_by_chance, frames_by_chance, plan_by_hand
from amber_ladder.core.planning._cautions import DEFER, Caution, Circumstances, cautions_for
from amber_ladder.core.planning._framing import Framing, Moves, Turn, loose_framing, turning
from amber_ladder.core.planning._knob import Knob, Reading, position_at, reading_at, u_position_um
from amber_ladder.core.planning._ladder import USUAL_OVERLAP, Ladder, Rail, Timing, Wanted, plan_ladder
from amber_ladder.core.planning._reach import Reach
from amber_ladder.core.planning._sharpness import (
    Circle,
    Pixels,
    Print,
    Screen,
    Sharpness,
    Wave,
    circle_um,
    sharp_depth_um,
)
from amber_ladder.core.planning._vanishing import LIMITS, SOURCE, Vanishing, time_to_shrink
from amber_ladder.core.planning._ways import Way, Worth, is_it_worth_it, other_ways, single_frame_na

__all__ = [
    "DEFER",
    "LIMITS",
    "SOURCE",
    "USUAL_OVERLAP",
    "ByHand",
    "Case",
    "Caution",
    "Circle",
    "Circumstances",
    "Framing",
    "Knob",
    "Ladder",
    "Moves",
    "Pixels",
    "Print",
    "Proposal",
    "Rail",
    "Reach",
    "Reading",
    "Screen",
    "Sharpness",
    "Spread",
    "Timing",
    "Turn",
    "Vanishing",
    "Wanted",
    "Wave",
    "Way",
    "Worth",
    "cautions_for",
    "circle_um",
    "coverage_by_chance",
    "frames_by_chance",
    "is_it_worth_it",
    "loose_framing",
    "other_ways",
    "plan_by_hand",
    "plan_ladder",
    "position_at",
    "reading_at",
    "sharp_depth_um",
    "single_frame_na",
    "spread",
    "time_to_shrink",
    "turning",
    "u_position_um",
    "worked_before",
]
