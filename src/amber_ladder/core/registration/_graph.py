"""All frames of a stack at once, from pairs that were measured with their uncertainty.

A chain adds up the errors of its links. Here every pair has its say by its covariance, pairs that contradict the rest
lose it (Cauchy's weights), and what a rail or a lens cannot do is kept from happening: scale changes smoothly with the
focus position. Gauss–Newton on similarities about the picture's centre, as banded normal equations.
"""

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from functools import cache, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration._similarity import Matrix

Double = NDArray[np.float64]

_SCALE_BENDS_PX = 0.002
"""Usual change of the change of scale from one step to the next, px at the corner: of a rail or lens it is far less."""
_TURN_BENDS_PX = 0.15
_SURE_TURN_PX, _FEWEST_SURE = 0.05, 4
"""Pairs that tell their turn so well (px at the corner), and so many of them, tell how much the stand turns."""
_LEAST_TURN_PX = 0.01
_HELD_GROWTH_PX = 1e-3
_FLOOR_PX = 0.008
"""No pair is better than this: interpolation alone is not."""
_SCALE, _TURN = 0, 1
_TAIL = 9.0  # squared deviations from which a pair, or a bend, loses half its say
_ROUNDS, _CONVERGED_PX = 12, 1e-4
_HELD = 1e10


@dataclass(frozen=True, slots=True)
class Link:
    """``matrix`` maps frame ``second`` to frame ``first``; ``covariance`` and ``bias`` as in a pair's Fit."""

    first: int
    second: int
    matrix: Matrix
    covariance: Double
    bias: Double


def solve_graph(
    links: Sequence[Link],
    z: Sequence[float],
    held: int,
    shape: tuple[int, int],
    *,
    rigid: bool = True,
    growth: float | None = None,
    leaps: Collection[int] = (),
) -> tuple[list[Matrix], Double]:
    """Matrices of all frames to frame ``held``, and the covariances (N, 4, 4) of scale, turn (px at the corner), shift.

    ``z`` are focus positions in steps, rising. Neighbours must be linked; ``links`` span few frames each. ``rigid`` is
    a camera on a rail or stand, whose scale changes smoothly, if at all; one in a hand may come nearer and go back.
    ``growth`` is the picture's growth a step (its logarithm) where pairs have no say in it. ``leaps`` are frames after
    which nobody knows how far the next one lies: nothing is smooth across that.
    """
    count = len(z)
    centre = np.array([(shape[1] - 1) / 2.0, (shape[0] - 1) / 2.0])
    corner = float(np.hypot(*shape)) / 2.0
    unit = np.array([corner, corner, 1.0, 1.0])
    measured = [_parameters(link.matrix, centre) for link in links]
    knowledge = [np.linalg.inv(link.covariance + _FLOOR_PX**2 * np.eye(4)) for link in links]
    place = _chained(links, measured, count)
    turning_px = _usual_turn(links, measured, corner) if rigid else None
    width = 4 * max(3 if leaps else 2, *(link.second - link.first for link in links)) + 4
    for turn in range(_ROUNDS):
        band, right = np.zeros((width, 4 * count)), np.zeros(4 * count)
        for link, wanted, known in zip(links, measured, knowledge, strict=True):
            left, one, two = _misfit(place[link.first], place[link.second], wanted, unit)
            say = np.asarray(known / (1.0 + (left @ known @ left) / (4.0 * _TAIL)) if turn else known, np.float64)
            _add(band, right, (link.first, link.second), np.hstack([one, two]), say, left)
        _keep_smooth(band, right, place, np.asarray(z, np.float64), corner, leaps, rigid=rigid)
        if turning_px is not None:
            _tie(band, right, place, z, corner, leaps, _TURN, 0.0, partial(_as_usual, turning_px))
        if growth is not None:
            # A picture that grows has a matrix that shrinks it.
            _tie(band, right, place, z, corner, leaps, _SCALE, -growth * corner, lambda *_: 1.0 / _HELD_GROWTH_PX**2)
        band[0, 4 * held : 4 * held + 4] += _HELD
        band[0] += 1e-9
        factor = (_linalg().cholesky_banded(band, lower=True), True)
        step = _linalg().cho_solve_banded(factor, -right).reshape(count, 4)
        place = place + step
        if float(np.abs(step * unit).max()) < _CONVERGED_PX:
            break
    covariances = np.array([_covariance(factor, frame) for frame in range(count)]) * unit[:, None] * unit
    home = place[held].copy()
    return [_relative(home, one, centre) for one in place], covariances


@cache
def _linalg() -> Any:
    from scipy import linalg  # takes a third of a second: not before a merge has begun to read

    return linalg


def _covariance(factor: tuple[Double, bool], frame: int) -> Double:
    own = np.arange(4 * frame, 4 * frame + 4)
    units = np.zeros((factor[0].shape[1], 4))
    units[own, range(4)] = 1.0
    return np.asarray(_linalg().cho_solve_banded(factor, units)[own], np.float64)


def _parameters(matrix: Matrix, centre: Double) -> Double:
    """Logarithm of scale, turn, and shift of the centre."""
    grown = np.log(complex(matrix[0, 0], matrix[1, 0]))
    shift = matrix[:, :2] @ centre + matrix[:, 2] - centre
    return np.array([grown.real, grown.imag, *shift])


def _relative(home: Double, place: Double, centre: Double) -> Matrix:
    grown = np.exp(complex(*(place[:2] - home[:2])))
    shift = complex(*(place[2:] - home[2:])) * np.exp(-complex(*home[:2]))
    linear = np.array([[grown.real, -grown.imag], [grown.imag, grown.real]])
    return np.column_stack([linear, centre + np.array([shift.real, shift.imag]) - linear @ centre])


def _chained(links: Sequence[Link], measured: Sequence[Double], count: int) -> Double:
    place = np.zeros((count, 4))
    neighbours = {link.second: wanted for link, wanted in zip(links, measured, strict=True)
                  if link.second == link.first + 1}  # fmt: skip
    for second in range(1, count):
        wanted, first = neighbours[second], place[second - 1]
        shift = np.exp(complex(*first[:2])) * complex(*wanted[2:])
        place[second] = first + np.array([wanted[0], wanted[1], shift.real, shift.imag])
    return place


def _misfit(first: Double, second: Double, wanted: Double, unit: Double) -> tuple[Double, Double, Double]:
    """What a pair says against the present places, in px, and its derivatives by both."""
    back = np.exp(-complex(*first[:2]))
    shift = back * complex(*(second[2:] - first[2:]))
    left = (np.array([*(second[:2] - first[:2]), shift.real, shift.imag]) - wanted) * unit
    two = np.zeros((4, 4))
    two[0, 0] = two[1, 1] = unit[0]
    two[2:, 2:] = [[back.real, -back.imag], [back.imag, back.real]]
    one = -two
    one[2:, :2] = [[-shift.real, shift.imag], [-shift.imag, -shift.real]]
    return left, one, two


def _keep_smooth(
    band: Double, right: Double, place: Double, z: Double, corner: float, leaps: Collection[int], *, rigid: bool
) -> None:
    for at in range(1, len(z) - 1):
        if at - 1 in leaps or at in leaps:
            continue
        before, after = z[at] - z[at - 1], z[at + 1] - z[at]
        shares = np.array([1.0 / before, -1.0 / before - 1.0 / after, 1.0 / after]) * (before + after) / 2.0 * corner
        for what in (0, 1):
            bend = float(shares @ place[at - 1 : at + 2, what])
            if what == 0 and rigid:
                say = 1.0 / _SCALE_BENDS_PX**2  # whatever pairs say: no jolt changes the scale
            else:
                say = 1.0 / _TURN_BENDS_PX**2 / (1.0 + (bend / _TURN_BENDS_PX) ** 2 / _TAIL)
            derivative = np.zeros((1, 12))
            derivative[0, what::4] = shares
            _add(band, right, (at - 1, at, at + 1), derivative, np.array([[say]]), np.array([bend]))
    for at in leaps:
        if rigid and 1 <= at < len(z) - 2:
            # How far the leap went is not known, but the picture grows as fast behind it as before.
            shares = (
                np.array([-1.0, 1.0, 1.0, -1.0]) / np.repeat([z[at] - z[at - 1], z[at + 2] - z[at + 1]], 2) * corner
            )
            derivative = np.zeros((1, 16))
            derivative[0, ::4] = shares
            bend = float(shares @ place[at - 1 : at + 3, 0])
            say = 1.0 / _SCALE_BENDS_PX**2
            _add(band, right, tuple(range(at - 1, at + 3)), derivative, np.array([[say]]), np.array([bend]))


def _usual_turn(links: Sequence[Link], measured: Sequence[Double], corner: float) -> float | None:
    """By how much (px at the corner) frames are usually turned against the one before, where enough pairs tell."""
    told = [abs(wanted[1]) * corner for link, wanted in zip(links, measured, strict=True)
            if link.second == link.first + 1 and link.covariance[1, 1] < _SURE_TURN_PX**2]  # fmt: skip
    return float(np.hypot(1.4826 * np.median(told), _LEAST_TURN_PX)) if len(told) >= _FEWEST_SURE else None


def _as_usual(turning_px: float, left: float, steps: float) -> float:
    """What a turn has to say: frames turn as those do that tell it; what hardly shows anything claims anything."""
    return 1.0 / (turning_px**2 * max(steps, 1.0) + left**2 / _TAIL)


def _tie(
    band: Double, right: Double, place: Double, z: Sequence[float], corner: float, leaps: Collection[int], what: int,
    px_a_step: float, say: Callable[[float, float], float],
) -> None:  # fmt: skip
    """Let a parameter change by so much (px at the corner) a step; ``say`` weighs what is left over between two frames.

    It is told that, in px, and how many steps lie between them.
    """
    derivative = np.zeros((1, 8))
    derivative[0, what], derivative[0, 4 + what] = -corner, corner
    for at in range(len(z) - 1):
        if at in leaps:
            continue
        steps = z[at + 1] - z[at]
        left = float(place[at + 1, what] - place[at, what]) * corner - px_a_step * steps
        _add(band, right, (at, at + 1), derivative, np.array([[say(left, steps)]]), np.array([left]))


def _add(band: Double, right: Double, frames: tuple[int, ...], derivative: Double, say: Double, left: Double) -> None:
    """Add JᵀWJ to the lower band and JᵀWr to the right side."""
    at = np.concatenate([np.arange(4 * frame, 4 * frame + 4) for frame in frames])
    normal = derivative.T @ say @ derivative
    right[at] += derivative.T @ say @ left
    rows, columns = np.broadcast_arrays(at[:, None], at[None, :])
    lower = rows >= columns
    np.add.at(band, (rows[lower] - columns[lower], columns[lower]), normal[lower])
