"""The ladder: where to shoot, how many frames, and what that costs in blur, time and space."""

from amber_ladder.core.planning._ladder import Ladder, Timing, plan_ladder

__all__ = ["Ladder", "Timing", "plan_ladder"]
