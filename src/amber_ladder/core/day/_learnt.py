"""How long hands took between runs: learnt from what was shot."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from amber_ladder.core.planning import Spread, spread

_LONGEST_S = 5400.0
"""A longer pause between two runs was for something else."""
_LEAST_S = 30.0
"""Nobody puts another specimen before the lens in less: such runs were begun by a script."""


@dataclass(frozen=True, slots=True)
class Run:
    """A run at the bench: which stack on which rig, from when to when (s, on one clock)."""

    stack: int
    rig: int
    begins_s: float
    ends_s: float


@dataclass(frozen=True, slots=True)
class Learnt:
    """How long it took, s: to set a specimen up, and how much longer where the rig was changed for it.

    None where too few runs tell.
    """

    set_up: Spread | None
    change: Spread | None


def learnt_from(runs: Sequence[Run]) -> Learnt:
    """What the pauses between runs of different stacks tell, in the order in which they began."""
    same, changed = list[float](), list[float]()
    for before, after in pairwise(sorted(runs, key=lambda one: one.begins_s)):
        pause_s = after.begins_s - before.ends_s
        if before.stack != after.stack and _LEAST_S <= pause_s <= _LONGEST_S:
            (same if before.rig == after.rig else changed).append(pause_s)
    set_up = spread(same)
    more = spread([max(0.0, one - set_up.median) for one in changed]) if set_up else None
    return Learnt(set_up, more)
