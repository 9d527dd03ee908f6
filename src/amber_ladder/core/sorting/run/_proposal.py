"""What follows from how a stack was judged: which frames to leave out, and what a person has to look at."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from itertools import pairwise

from amber_ladder.core.sorting.run._flags import Kind
from amber_ladder.core.sorting.run._stack import Stack

_LEAVES: frozenset[Kind] = frozenset(("dark", "bright", "shaken", "duplicate", "out_of_focus", "odd_size"))
"""Faults that no merge can use. What is clipped, jolted or moved may be all there is: a person decides."""


@dataclass(frozen=True, slots=True)
class Doubt:
    """Something that a person has to look at: what it is, and the place of the frame where it shows.

    ``of_frame`` is a doubt about that frame alone, which goes with it when it is left out; the others stay.
    """

    place: int
    words: str
    of_frame: bool = False


@dataclass(frozen=True, slots=True)
class Proposal:
    """``left_out`` gives places with the reason; ``doubts`` stand in the order of the run."""

    left_out: dict[int, str]
    doubts: tuple[Doubt, ...]


def propose(stack: Stack) -> Proposal:
    """What to leave out of a stack, and what is in doubt about the rest. Nothing in doubt: it can be accepted."""
    left_out = _outside(stack)
    for flag in stack.flags:
        if flag.kind in _LEAVES:
            left_out.setdefault(flag.place, flag.reason)
    doubts = [*_ends(stack), *_unknown(stack)]
    doubts += [
        Doubt(hole.before, f"{_frames(hole.missing)} missing before it: nothing between is sharp in any frame")
        for hole in stack.holes
    ]
    doubts += [
        Doubt(flag.place, flag.reason, of_frame=True) for flag in stack.flags
        if flag.kind not in _LEAVES and flag.place not in left_out
    ]  # fmt: skip
    return Proposal(left_out, tuple(sorted(doubts, key=lambda one: one.place)))


def torn(places: Sequence[int], left_out: Collection[int], every: int) -> list[Doubt]:
    """Doubts about stretches in which so many frames in a row are left out that nothing may be sharp in any other.

    ``places`` are a stack's, in the order of shooting; every ``every`` th of them would do.
    """
    kept = [at for at, place in enumerate(places) if place not in left_out]
    return [
        Doubt(
            places[after], f"{after - before - 1} frames in a row are left out before it: nothing between may be sharp"
        )
        for before, after in pairwise(kept)
        if after - before > 2 * every
    ]


def _outside(stack: Stack) -> dict[int, str]:
    """Frames of the tails, where nothing is sharp yet, or any more."""
    if stack.trim is None:
        return {}
    first, last = stack.trim
    before = {place: "nothing is sharp yet" for place in stack.places if place < first}
    return before | {place: "nothing is sharp any more" for place in stack.places if place > last}


def _ends(stack: Stack) -> list[Doubt]:
    if stack.trim is None:
        return []
    named = {"near-first": ("near", "far"), "far-first": ("far", "near"), "unknown": ("first", "last")}[stack.order]
    return [
        Doubt(
            stack.trim[at],
            f"the {named[at]} end is not reached: it is still sharp here. Shoot more of it, if the specimen still lies "
            "there: this cannot be mended later",
        )
        for at, passed in enumerate(stack.passed)
        if passed is False
    ]  # fmt: skip


def _unknown(stack: Stack) -> list[Doubt]:
    first = stack.places[0]
    if stack.trim is None:
        return [Doubt(first, "nothing is sharp in any of its frames")]
    if stack.order == "unknown" and not stack.by_hand:
        return [Doubt(first, f"which end is near is not known: {stack.order_basis}")]
    return []


def _frames(count: int) -> str:
    return f"{count} frame{'' if count == 1 else 's'} {'is' if count == 1 else 'are'}"
