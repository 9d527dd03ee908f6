"""One measure, with the uncertainty of what it rests on."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import hypot, sqrt

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from amber_ladder.core.measuring._instrument import PARTS, Draws, Instrument
from amber_ladder.core.measuring._kinds import KINDS
from amber_ladder.core.measuring._outcome import Outcome
from amber_ladder.errors import BadInput

Double = NDArray[np.float64]
Place = tuple[float, float]

_AT_AN_EDGE = 0.1  # of the draws of picks that have no value
COVERAGE = 2.0
"""k: a value lies within ± k standard uncertainties of the truth in about 95 % of cases (GUM 6.2)."""


@dataclass(frozen=True, slots=True)
class Measured:
    """What was measured, in ``unit``: a value and its expanded uncertainty, both None where too little is known.

    ``parts`` are the standard uncertainties that each of PARTS brings, in the same unit. ``known`` is the share of the
    places with a depth. ``at_least`` and ``at_most`` bound what has no value. ``along_um``, ``depth_um`` and ``u_um``
    are a profile's. ``places`` (N, 2) px are where the picture was looked at.
    """

    kind: str
    value: float | None
    unit: str
    expanded: float | None
    parts: dict[str, float]
    known: float
    notes: tuple[str, ...]
    at_least: float | None
    at_most: float | None
    along_um: Double | None
    depth_um: Double | None
    u_um: Double | None
    places: Double


def measure(
    instrument: Instrument,
    kind: str,
    points: Sequence[Place],
    points_b: Sequence[Place] | None = None,
) -> Measured:
    """Measure at ``points`` (x, y) px of the picture; a dihedral needs the outline of a second face, ``points_b``.

    Uncertainties are propagated by their effect on the value: one standard uncertainty either way for what shifts all
    of it alike, draws for the places that were clicked and for the errors of the depth map. Source: JCGM 100:2008,
    5.1.3 and note 2 (numerical sensitivity), JCGM 101:2008 (propagation of distributions).

    Raises:
        BadInput: too few places, or one outside the picture; what needs a depth where none is known at all.
    """
    what = KINDS[kind]
    first = _checked(instrument, kind, points)
    second = None
    if kind == "dihedral":
        second = _checked(instrument, kind, points_b or (), which="the second face")
    if what.needs_depth and instrument.depth_um is None:
        raise BadInput("nothing is known of depth here: measure in the picture, or merge with steps or positions in µm")
    draws = Draws(instrument, what.draws)
    with np.errstate(invalid="ignore", divide="ignore"):
        outcome = what.evaluate(draws, first, second)
    return _told(kind, draws, outcome)


def measure_repeated(
    instrument: Instrument, kind: str, picks: Sequence[tuple[Sequence[Place], Sequence[Place] | None]]
) -> Measured:
    """The same measure picked several times: the mean, and how far picks differ for what picking brings.

    Few picks tell little of how far they differ: the standard uncertainty of their mean is widened by Student's t, so
    that twice it holds 95 %. Source: JCGM 100:2008, 4.2 and G.3. Raises BadInput as one measure does.
    """
    told = [measure(instrument, kind, *pick) for pick in picks]
    first, values = told[0], np.array([one.value for one in told if one.value is not None])
    if len(values) < 2 or kind == "count":
        return first
    widened = float(stdtrit(len(values) - 1, 0.975)) / COVERAGE
    pick = float(values.std(ddof=1)) / sqrt(len(values)) * widened
    parts = {**first.parts, "pick": pick}
    expanded = COVERAGE * sqrt(sum(part**2 for part in parts.values()))
    notes = (*first.notes, f"mean of {len(values)} picks, which differ by {values.std(ddof=1):.2g} {first.unit} (s)")
    return replace(first, value=float(values.mean()), expanded=expanded, parts=parts, notes=notes)


def _checked(
    instrument: Instrument, kind: str, points: Sequence[Place], which: str = "a measure of this kind"
) -> Double:
    what = KINDS[kind]
    if len(points) < what.least or (what.most is not None and len(points) > what.most):
        wanted = str(what.least) if what.most == what.least else f"{what.least} or more"
        raise BadInput(f"{which} needs {wanted} places, and has {len(points)}", field="points")
    out = np.array(points, np.float64).reshape(-1, 2)
    height, width = instrument.shape
    outside = ~((out >= -0.5).all(axis=1) & (out[:, 0] <= width - 0.5) & (out[:, 1] <= height - 0.5))
    if outside.any():
        x, y = out[outside][0]
        raise BadInput(f"{x:g}, {y:g} lies outside the picture of {width} × {height} px", field="points")
    spread = np.ptp(out, axis=0)
    if what.least > 1 and spread.max() < 0.1:
        raise BadInput("the places lie on one another", field="points")
    if what.outline and np.linalg.matrix_rank(out - out.mean(axis=0), tol=0.1) < 2:
        raise BadInput("an outline has to enclose something, and its places lie on one line", field="points")
    return out


def _told(kind: str, draws: Draws, outcome: Outcome) -> Measured:
    value = float(outcome.values[0])
    notes = list(outcome.notes)
    if outcome.known < 1.0 and KINDS[kind].needs_depth:
        bridged = " and was bridged where holes are small" if np.isfinite(value) else ""
        notes.append(f"depth is unknown for {1 - outcome.known:.1%} of it{bridged}")
    parts = dict.fromkeys(PARTS, 0.0)
    expanded = None
    if np.isfinite(value):
        if np.isnan(outcome.values[draws.picks]).mean() > _AT_AN_EDGE:
            notes.append("picked at the edge of what is known: half a pixel aside there is no depth")
        parts = draws.parts(outcome.values)
        parts["depth"] = hypot(parts["depth"], outcome.u_more)
        if outcome.noisy:
            bias = draws.bias(outcome.values)
            value -= bias
            parts["depth"] = hypot(parts["depth"], 0.5 * bias)
        expanded = COVERAGE * sqrt(sum(part**2 for part in parts.values()))
    return Measured(
        kind,
        value if np.isfinite(value) else None,
        KINDS[kind].unit,
        expanded,
        parts,
        outcome.known,
        tuple(notes),
        outcome.at_least if not np.isfinite(value) else None,
        outcome.at_most if not np.isfinite(value) else None,
        outcome.along_um,
        outcome.depth_um,
        outcome.u_um,
        outcome.places,
    )
