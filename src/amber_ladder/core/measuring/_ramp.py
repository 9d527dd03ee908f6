"""µm per frame from a series of a flat ramp: every place of the ramp is sharpest in the frame focused on it.

What is looked at is the sharpest frame of each place, not the sharpest place of each frame: the ramp's own texture,
stronger here and weaker there, then does not matter.
"""

from dataclasses import dataclass
from math import hypot, radians, sqrt, tan
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import Peaks, PeakTracker, focus_energy
from amber_ladder.core.frames import FrameSource, Progress, ahead
from amber_ladder.errors import BadInput

Double = NDArray[np.float64]

_SURE = 0.75  # confidence of a peak, as for depth maps
_FEWEST_FRAMES = 4
_FEWEST_PLACES = 400
_BINS = 64
_STRAIGHT = 0.5  # share of the variance of the sharpest frame that the ramp must explain
_SIGNIFICANT = 3.0  # standard uncertainties by which a bend must differ from none


@dataclass(frozen=True, slots=True)
class Band:
    """Where one frame is sharp: ``position_px`` along the ramp from the picture's middle."""

    frame: int
    position_px: float


@dataclass(frozen=True, slots=True)
class Ramp:
    """Focus travel per frame at the picture's middle, in µm, with its standard uncertainty.

    ``bend_um_per_frame2`` is the change of that travel from one frame to the next, 0 where it is not significant.
    ``direction_deg`` is where focus moves, from the picture's rows. ``residual_um`` is the scatter of the bands about
    the fit. ``without_band`` are frames in which no sharp band lies wholly within the picture.
    """

    um_per_frame: float
    u_um_per_frame: float
    bend_um_per_frame2: float
    middle_frame: float
    direction_deg: float
    bands: tuple[Band, ...]
    residuals_um: tuple[float, ...]
    residual_um: float
    without_band: tuple[int, ...]


def measure_ramp(frames: FrameSource, *, slope_deg: float, um_per_px: float, progress: Progress) -> Ramp:
    """Fit the focus travel per frame to a series of a flat ramp that rises by ``slope_deg`` from the focal plane.

    Breathing changes the size of the picture about its middle, and thereby where off-axis bands are seen: travel is
    therefore told where the band crosses the middle.

    Raises:
        BadInput: a slope outside 1° to 80°, too few frames, or no sharp band that moves through the pictures.
    """
    if not 1.0 <= slope_deg <= 80.0:
        raise BadInput(f"a slope of {slope_deg:g}° is outside 1° to 80°", field="slope_deg")
    if not um_per_px > 0.0:
        raise BadInput("the scale must be larger than 0 µm/px", field="um_per_px")
    if len(frames.names) < _FEWEST_FRAMES:
        raise BadInput(f"{len(frames.names)} frames are too few for a ramp: shoot at least {_FEWEST_FRAMES}")
    peaks = _peaks(frames, progress)
    x, y, index, weight = _places(peaks, len(frames.names), frames.shape)
    direction = _direction(x, y, index, weight)
    t = x * direction[0] + y * direction[1]
    depth_um_per_px = um_per_px * tan(radians(slope_deg))
    return _fit(t, index, weight, len(frames.names), depth_um_per_px, direction, frames.names)


def _peaks(frames: FrameSource, progress: Progress) -> Peaks:
    tracker: PeakTracker | None = None
    count = len(frames.names)
    for index, grey in ahead(lambda i: frames.grey(i, 1), range(count)):
        progress("register", index, count)
        tracker = tracker or PeakTracker((grey.shape[0], grey.shape[1]))
        tracker.add(focus_energy(grey))
    progress("register", count, count)
    assert tracker is not None
    return tracker.peaks()


def _places(peaks: Peaks, count: int, shape: tuple[int, int]) -> tuple[Double, Double, Double, Double]:
    passed = (peaks.index > 0.75) & (peaks.index < count - 1.75) & (peaks.confidence > _SURE)
    rows, columns = np.nonzero(passed)
    if len(rows) < _FEWEST_PLACES:
        raise BadInput(
            "no sharp band moves through the pictures: put a flat, finely textured ramp under the lens and let the "
            "series begin and end where its ends are sharp"
        )
    x = np.asarray(columns - (shape[1] - 1) / 2, np.float64)
    y = np.asarray(rows - (shape[0] - 1) / 2, np.float64)
    index = peaks.index[rows, columns].astype(np.float64)
    weight = np.minimum(peaks.confidence[rows, columns], 4.0).astype(np.float64)
    return x, y, index, weight


def _direction(x: Double, y: Double, index: Double, weight: Double) -> tuple[float, float]:
    """Unit vector along which the sharpest frame rises, by a plane that outliers cannot tilt."""
    design = np.column_stack([np.ones_like(x), x, y])
    now = weight
    plane: NDArray[Any] = np.zeros(3)
    for _ in range(8):
        normal = design.T @ (now[:, None] * design)
        plane = np.linalg.lstsq(normal, design.T @ (now * index), rcond=None)[0]
        left = np.abs(index - design @ plane)
        now = weight / np.maximum(left, 0.25 * float(np.median(left)) + 1e-9)
    spread = float(np.average((index - np.average(index, weights=weight)) ** 2, weights=weight))
    left = index - design @ plane
    scatter = (1.4826 * float(np.median(np.abs(left)))) ** 2
    steep = hypot(plane[1], plane[2])
    if steep == 0.0 or spread <= 0.0 or 1.0 - scatter / spread < _STRAIGHT:
        raise BadInput(
            "no sharp band moves through the pictures in one direction: the ramp must be flat, and everything else "
            "out of the picture"
        )
    return plane[1] / steep, plane[2] / steep


def _fit(
    t: Double,
    index: Double,
    weight: Double,
    count: int,
    depth_um_per_px: float,
    direction: tuple[float, float],
    names: tuple[str, ...],
) -> Ramp:
    place, sharpest = _binned(t, index, weight)
    # Position over frame, as it is plotted; a parabola about the middle takes up breathing and uneven focus travel.
    rough = np.polynomial.Polynomial.fit(place, sharpest, 2)
    middle = float(rough(0.0))
    bands = _bands(t, index, weight, count, float(place.min()), float(place.max()))
    if len(bands) < _FEWEST_FRAMES:
        raise BadInput(
            f"a sharp band is seen wholly in {len(bands)} of {count} frames, at least {_FEWEST_FRAMES} are needed: "
            "shoot smaller steps, or a gentler slope"
        )
    frame = np.array([band.frame for band in bands]) - middle
    position = np.array([band.position_px for band in bands])
    design = np.column_stack([np.ones_like(frame), frame, frame**2])
    solution, covariance = _solved(design, position)
    if abs(solution[2]) < _SIGNIFICANT * sqrt(covariance[2, 2]) or len(bands) < _FEWEST_FRAMES + 2:
        design = design[:, :2]
        solution, covariance = _solved(design, position)
    residuals = (position - design @ solution) * depth_um_per_px
    freedom = max(len(bands) - design.shape[1], 1)
    seen = {band.frame for band in bands}
    return Ramp(
        um_per_frame=abs(float(solution[1])) * depth_um_per_px,
        u_um_per_frame=sqrt(float(covariance[1, 1])) * depth_um_per_px,
        bend_um_per_frame2=2.0 * float(solution[2]) * depth_um_per_px if len(solution) > 2 else 0.0,
        middle_frame=middle,
        direction_deg=float(np.degrees(np.arctan2(direction[1], direction[0]))),
        bands=tuple(bands),
        residuals_um=tuple(float(one) for one in residuals),
        residual_um=sqrt(float((residuals**2).sum()) / freedom),
        without_band=tuple(i for i in range(len(names)) if i not in seen),
    )


def _solved(design: Double, position: Double) -> tuple[Double, Double]:
    inverse = np.linalg.pinv(design.T @ design)
    solution = inverse @ design.T @ position
    left = position - design @ solution
    return solution, np.asarray(inverse * float(left @ left) / max(len(position) - design.shape[1], 1))


def _binned(t: Double, index: Double, weight: Double) -> tuple[Double, Double]:
    """Median sharpest frame of each strip across the ramp."""
    edges = np.linspace(t.min(), t.max() + 1e-6, _BINS + 1)
    strip = np.digitize(t, edges) - 1
    order = np.argsort(strip, kind="stable")
    bounds = np.searchsorted(strip[order], np.arange(_BINS + 1))
    places, medians = [], []
    for one in range(_BINS):
        own = order[bounds[one] : bounds[one + 1]]
        if len(own) >= _FEWEST_PLACES // _BINS:
            places.append(float(np.mean(t[own])))
            medians.append(_median(index[own], weight[own]))
    return np.array(places), np.array(medians)


def _bands(t: Double, index: Double, weight: Double, count: int, first: float, last: float) -> list[Band]:
    """The middle of the places that are sharpest in each frame, for those whose band does not touch the ends."""
    found = []
    half = _half_width(t, index)
    for frame in range(1, count - 1):
        own = np.abs(index - frame) <= 0.5
        if np.count_nonzero(own) < 40:
            continue
        position = _median(t[own], weight[own])
        if first + half < position < last - half:
            found.append(Band(frame, position))
    return found


def _half_width(t: Double, index: Double) -> float:
    """Half the distance that the band moves from one frame to the next, and a little more."""
    slope = np.polyfit(index, t, 1)[0]
    return 0.75 * abs(float(slope))


def _median(values: Double, weight: Double) -> float:
    order = np.argsort(values)
    total = np.cumsum(weight[order])
    return float(values[order][int(np.searchsorted(total, total[-1] / 2))])
