"""Verdicts on answers: one number from 0 to 1, and the figures that it comes from."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from math import log


@dataclass(frozen=True, slots=True)
class Figure:
    """One figure of an answer, beside the program's own and the best possible; None where there is none."""

    name: str
    unit: str
    yours: float | None
    programs: float | None
    best: float | None


@dataclass(frozen=True, slots=True)
class Verdict:
    """How good an answer was, 0 to 1, in which figures, and why: a few sentences."""

    score: float
    figures: tuple[Figure, ...]
    why: tuple[str, ...]


def closeness(off: float, *, fine: float, poor: float) -> float:
    """1 for an error up to ``fine``, 0 from ``poor`` on, and evenly in ratios between. ``off`` is no less than 0."""
    if off <= fine:
        return 1.0
    if off >= poor:
        return 0.0
    return log(poor / off) / log(poor / fine)


def marked(chosen: Collection[int], true: Collection[int], count: int) -> float:
    """How well some of ``count`` things were told from the rest: 1 for just these, 0 for none, all, or by chance.

    Youden's index: the share of the true ones that was chosen, less the share of the others that was.
    """
    if not true:
        return 1.0 if not chosen else 0.0
    hit = sum(one in true for one in chosen) / len(true)
    wrong = sum(one not in true for one in chosen) / max(count - len(true), 1)
    return max(hit - wrong, 0.0)


def overall(parts: Sequence[float]) -> float:
    """Several scores as one: their product, for what is spoiled in one way is not mended by another."""
    whole = 1.0
    for one in parts:
        whole *= min(max(one, 0.0), 1.0)
    return whole
