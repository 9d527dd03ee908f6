"""How far focus moved between neighbours of a series, counted in the steps of those around them.

Where focus moves by dz, the blur of what lies at z_p grows by a variance that goes with 2 (z - z_p) dz: place by place
it changes evenly from one pair of frames to the next. Held against the mean of the pairs on either side, a pair's
changes are therefore as many times larger as its step is, wherever the specimen's surface lies; how much of it is in
focus at the time, which changes how different two frames look, falls out.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting.run._pair import Small, bend_sums

Float = NDArray[np.float32]

_MOST_U = 0.1  # steps: a pair whose step noise alone makes less certain is not told
_LEAST_CLEAR, _MOST_LEFT = 1.4, 0.35  # times chance on both sides of one that stayed; and of what is beyond it there
_LEAST_LIKE = 0.12  # how strongly focus changes on one side, of how it does on the other
_LEAST_EVEN = 0.3  # of what changes on either side: on a flat thing that focus is just passing, both cancel out
_PASSED, _STAYED = 1.45, 0.35  # steps: what is one lies between


@dataclass(frozen=True, slots=True)
class Refocus:
    """How the blur changed from one frame to the next: ``change`` (9, 12) place by place, with its ``weight``.

    ``chance`` is how much of it noise makes look so, in squares of grey values over all places.
    """

    change: Float
    weight: Float
    chance: float

    @property
    def clear(self) -> float:
        """How many times what noise makes look so."""
        return float((self.weight * self.change * self.change).sum()) / max(self.chance, 1e-9)


def refocus(before: Small, after: Small) -> Refocus | None:
    """From a frame to the one after it; None for two sizes."""
    if before.calm.shape != after.calm.shape:
        return None
    both, weight, elsewhere, its_weight = bend_sums(before.calm, after.calm, after.level / before.level)
    chance = float((elsewhere**2 / (its_weight + np.float32(1e-3))).sum())
    return Refocus(both / np.maximum(weight, np.float32(1e-3)), weight, chance)


def steps_between(pairs: Sequence[Refocus | None]) -> list[float | None]:
    """By how many of the steps around it focus moved in each pair of neighbours: about 1, and 0 where it stayed.

    None where that cannot be told: nothing is sharp enough, or there is no pair on either side.
    """
    first = _told(pairs, [])
    # One that stayed is no measure for those beside it: they are held against the next ones.
    stayed = [number for number, one in enumerate(first) if one is not None and has_stayed(one)]
    found = _told(pairs, stayed)
    for number in stayed:
        found[number] = first[number]
    return found


def passed_over(steps: float) -> int:
    """How many rungs lie between two frames that are so many steps apart; none where they may be neighbours."""
    return max(round(steps) - 1, 1) if steps > _PASSED else 0


def has_stayed(steps: float) -> bool:
    """Whether focus did not move."""
    return abs(steps) < _STAYED


def _told(pairs: Sequence[Refocus | None], without: Sequence[int]) -> list[float | None]:
    found: list[float | None] = [None] * len(pairs)
    chain = [number for number in range(len(pairs)) if number not in without]
    steps = 1.0  # of the pair before
    for left, number, right in zip(chain, chain[1:], chain[2:], strict=False):
        before, own, after = pairs[left], pairs[number], pairs[right]
        told = None if before is None or own is None or after is None else _steps(before, steps, own, after)
        found[number] = told
        steps = float(1 + passed_over(told)) if told is not None else 1.0
    return found


def _steps(before: Refocus, steps: float, own: Refocus, after: Refocus) -> float | None:
    """A pair's step, in those of the two beside it, of which the first had so many itself: weighted least squares."""
    earlier = before.change / np.float32(steps)
    expected = 0.5 * (earlier + after.change)
    of_both = float((own.weight * expected * expected).sum())
    of_one, of_other = (float((own.weight * one * one).sum()) for one in (earlier, after.change))
    if not _LEAST_LIKE * of_one < of_other < of_one / _LEAST_LIKE or of_both <= _LEAST_EVEN * 0.5 * (of_one + of_other):
        return None
    noise = 0.5 * (before.chance + after.chance) / own.change.size
    if 1.25 * noise > _MOST_U**2 * of_both:
        return None
    told = float((own.weight * own.change * expected).sum()) / of_both
    if has_stayed(told):
        # Where what is expected is noise itself, every step looks like none.
        clear = min(before.clear, after.clear)
        if clear < _LEAST_CLEAR or own.clear - 1.0 > _MOST_LEFT * (clear - 1.0):
            return None
    return told
