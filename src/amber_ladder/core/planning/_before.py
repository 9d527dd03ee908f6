"""What worked before: from stacks of the same kind of specimen, how deep the next one is, and how to shoot it."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

ENOUGH = 3
"""From fewer cases nothing is proposed: they are shown, and that is all."""
_NEAREST = 5
_LIKE = 1.25
"""Rigs whose magnifications differ by no more than this factor serve as like ones."""


@dataclass(frozen=True, slots=True)
class Case:
    """A merged stack. ``depth_um`` is how deep its surface was found, in the medium; None for what nobody knows.

    ``spare_used`` is how many of its spare rungs gave something to the picture, at the end at which more of them did;
    None where even the last one did, for then nobody knows how many would have. ``light`` is what it was lit with,
    ``step_um`` its step in the medium.
    """

    stack_id: int
    kind: str
    rig: str
    magnification: float
    depth_um: float | None
    overlap: float | None
    findings: int | None
    frames_shot: int | None
    frames_carried: int | None
    seconds: float | None
    spare_used: int | None = None
    light: str | None = None
    step_um: float | None = None


@dataclass(frozen=True, slots=True)
class Spread:
    """A figure over cases: the middle one, and between what four of five lie; ``n`` is of how many it is known."""

    median: float
    low: float
    high: float
    n: int


@dataclass(frozen=True, slots=True)
class Lit:
    """A light, in words, and how many cases were shot in it."""

    words: str
    n: int


@dataclass(frozen=True, slots=True)
class Proposal:
    """What cases say together. ``basis`` tells how like they are; ``too_few`` of them propose nothing.

    ``overlap`` and ``step_um`` are those of cases with no findings, ``idle`` the share of frames that gave less than
    1 % of the picture, ``spare`` how many rungs beyond the plan were used at an end. ``lights`` come most frequent
    first, of those cases of which it is known; none of too few.
    """

    basis: Literal["same kind and rig", "same kind, like magnification", "same kind"]
    stacks: tuple[int, ...]
    too_few: bool
    depth_um: Spread | None
    overlap: Spread | None
    idle: Spread | None
    seconds: Spread | None
    spare: Spread | None
    lights: tuple[Lit, ...]
    step_um: Spread | None


def worked_before(cases: Sequence[Case], *, kind: str, rig: str, magnification: float) -> Proposal:
    """What is known for this kind on this rig, or else on rigs like it, or on any: the first of them with enough cases.

    Where none has, the cases whose magnification is nearest are named, and nothing is proposed.
    """
    same = [one for one in cases if one.kind == kind and one.depth_um is not None]
    like = [
        one for one in same if max(one.magnification, magnification) <= _LIKE * min(one.magnification, magnification)
    ]
    mine = [one for one in same if one.rig == rig]
    if len(mine) >= ENOUGH:
        return _of(mine, "same kind and rig")
    if len(like) >= ENOUGH:
        return _of(like, "same kind, like magnification")
    nearest = sorted(same, key=lambda one: abs(np.log(one.magnification / magnification)))[:_NEAREST]
    return Proposal("same kind", tuple(one.stack_id for one in nearest), True, None, None, None, None, None, (), None)


def _of(cases: Sequence[Case], basis: Literal["same kind and rig", "same kind, like magnification"]) -> Proposal:
    idle = [1.0 - one.frames_carried / one.frames_shot for one in cases
            if one.frames_shot and one.frames_carried is not None]  # fmt: skip
    return Proposal(
        basis,
        tuple(one.stack_id for one in cases),
        False,
        spread([one.depth_um for one in cases]),
        spread([one.overlap for one in cases if one.findings == 0]),
        spread(idle),
        spread([one.seconds for one in cases]),
        spread([one.spare_used for one in cases]),
        _lights([one.light for one in cases if one.light]),
        spread([one.step_um for one in cases if one.findings == 0]),
    )


def _lights(told: Sequence[str]) -> tuple[Lit, ...]:
    if len(told) < ENOUGH:
        return ()
    return tuple(Lit(*one) for one in Counter(told).most_common())


def spread(values: Sequence[float | None]) -> Spread | None:
    """Of the values that are known; None where those are fewer than ENOUGH."""
    known = [one for one in values if one is not None]
    if len(known) < ENOUGH:
        return None
    low, median, high = (float(one) for one in np.quantile(known, (0.1, 0.5, 0.9)))
    return Spread(median, low, high, len(known))
