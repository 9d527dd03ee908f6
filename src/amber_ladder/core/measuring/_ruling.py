"""The pitch of a ruling in a picture: a ruled slide, a ruler or a grid, anywhere in the field and tilted.

Straight lines put their power on one ray of the spectrum, across the lines: that gives the direction. Across the
lines the picture is cut into bands; their common period gives the pitch to a few per cent. Then every window of every
band tells the phase of that period, and a plane through all phases gives pitch and tilt over the whole field (fringe
analysis, Takeda, Ina & Kobayashi 1982). What is left after the plane is the field's distortion.
"""

from dataclasses import dataclass
from math import atan2, degrees, hypot, pi, sqrt

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring._comb import FEWEST_LINES, FINEST_PITCH_PX, Band, TooFine, Turned, no_ruling, period
from amber_ladder.errors import BadInput

Float = NDArray[np.float32]
Double = NDArray[np.float64]

_LARGEST_SIDE_PX = 2000  # a larger picture is shrunk first, unless its lines would come too close
_WINDOW_PERIODS = 2.0
_COHERENT = 0.9  # length of the mean of unit phases after the plane fit; noise gives 0
_LARGEST_U = 0.004  # relative; a ruling is known far better, random stripes are not
_MOST_BENT = 0.08  # no lens for such pictures bends its field so much
_FAINT = 0.2  # of what the strongest windows show: beside a ruling that does not fill the field is only noise
_TUKEY = 4.685  # 95 % efficiency on normal errors (Huber, *Robust Statistics*)
_STRAY_CYCLES = 0.09  # standard deviation of a window's phase that is still a ruling's


@dataclass(frozen=True, slots=True)
class Ruling:
    """A ruling that was found.

    ``pitch_px`` is the distance of neighbouring lines at right angles to them, ``u_pitch_px`` its standard
    uncertainty. ``angle_deg`` is the direction across the lines, from the picture's rows, positive clockwise as seen,
    above −90 and up to 90. ``lines`` is how many pitches the found part spans, plus one. ``origin_px`` (x, y) lies on
    a line. ``distortion`` is how far the local pitch departs from the mean at most, as a share; ``None`` where
    too little of the field is covered to tell.
    """

    pitch_px: float
    u_pitch_px: float
    angle_deg: float
    lines: int
    origin_px: tuple[float, float]
    span_px: tuple[float, float]
    distortion: float | None


def find_ruling(grey: Float) -> Ruling:
    """Find the ruling in a grey picture (H, W), 0 to 1.

    Raises:
        BadInput: there is none, or none that can be told from its own multiples with certainty.
    """
    shrink = max(1, round(max(grey.shape) / _LARGEST_SIDE_PX))
    while True:
        try:
            return _enlarged(_find(_shrunk(grey, shrink)), shrink)
        except TooFine:
            if shrink == 1:
                raise BadInput(
                    f"the lines lie closer than {FINEST_PITCH_PX:.0f} px: take a coarser ruling or more magnification"
                ) from None
            shrink //= 2


def _shrunk(grey: Float, factor: int) -> Float:
    height, width = grey.shape[0] // factor * factor, grey.shape[1] // factor * factor
    if factor == 1:
        return grey
    size = (width // factor, height // factor)
    return np.asarray(cv2.resize(grey[:height, :width], size, interpolation=cv2.INTER_AREA), np.float32)


def _enlarged(found: Ruling, factor: int) -> Ruling:
    offset = (factor - 1) / 2
    return Ruling(
        found.pitch_px * factor,
        found.u_pitch_px * factor,
        found.angle_deg,
        found.lines,
        (found.origin_px[0] * factor + offset, found.origin_px[1] * factor + offset),
        (found.span_px[0] * factor, found.span_px[1] * factor),
        found.distortion,
    )


def _find(grey: Float) -> Ruling:
    flat = _flattened(grey)
    refused: BadInput | None = None
    for angle in _directions(flat):
        turned = Turned(flat, angle)
        straight = angle + turned.remaining_tilt()
        turned = Turned(flat, straight)
        try:
            return _fit(turned, *period(turned))
        except BadInput as error:
            refused = refused or error
    assert refused is not None, "there is one direction at least"
    raise refused


def _flattened(grey: Float) -> Float:
    """Detail without the light's unevenness, and no part louder than the others."""
    reach = max(grey.shape) / 24
    detail = grey - _widely_blurred(grey, reach)
    loud = np.sqrt(_widely_blurred(detail * detail, reach))
    return np.asarray(detail / (loud + 0.25 * float(loud.mean()) + 1e-6), np.float32)


def _widely_blurred(grey: Float, reach_px: float) -> Float:
    # On a smaller copy: a wide blur holds no detail that would be lost.
    factor = max(1, int(reach_px / 6))
    height, width = grey.shape
    small = cv2.resize(grey, (max(1, width // factor), max(1, height // factor)), interpolation=cv2.INTER_AREA)
    soft = cv2.GaussianBlur(small, (0, 0), reach_px / factor)
    return np.asarray(cv2.resize(soft, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)


def _directions(flat: Float) -> list[float]:
    """Directions across the lines in radians, to about half a degree, the likeliest first.

    It is the ray of the spectrum with most power; but a row of short marks is a bar as well, which puts much power
    at right angles to the lines.
    """
    side = cv2.getOptimalDFTSize(max(flat.shape))
    window = cv2.createHanningWindow((flat.shape[1], flat.shape[0]), cv2.CV_32F)
    padded = np.zeros((side, side), np.float32)
    padded[: flat.shape[0], : flat.shape[1]] = flat * window
    power = np.abs(np.fft.rfft2(padded)) ** 2
    fy, fx = np.fft.fftfreq(side)[:, None], np.fft.rfftfreq(side)[None, :]
    radius = np.hypot(fx, fy)
    usable = (radius > 3.0 / min(flat.shape)) & (radius < 0.5 / 1.5)
    # Within each ring only what stands out counts: textures fill rings, lines do not.
    ring = np.minimum((radius * side).astype(np.int64), side)
    mean = np.bincount(ring.ravel(), power.ravel()) / np.maximum(np.bincount(ring.ravel()), 1)
    excess = np.where(usable, power / np.maximum(mean[ring], 1e-12), 0.0)
    strength = np.where(usable, power, 0.0) * np.minimum(excess, 50.0)
    steps = 720
    place = (np.arctan2(fy, fx) / pi * steps).round().astype(np.int64) % steps
    total = np.bincount(place.ravel(), np.sqrt(strength).ravel(), minlength=steps)
    smooth = np.roll(total, -1) + total + np.roll(total, 1)
    best = int(np.argmax(smooth))
    beside = (np.arange(best + steps // 2 - steps // 8, best + steps // 2 + steps // 8 + 1)) % steps
    second = int(beside[np.argmax(smooth[beside])])
    return [_signed(one * pi / steps) for one in (best, second)]


def _signed(angle: float) -> float:
    """The same undirected direction, above −90° and up to 90°."""
    return float(angle - pi * np.ceil(angle / pi - 0.5))


@dataclass(frozen=True, slots=True)
class _Phases:
    """Windows over the turned picture: place of each, its complex amplitude at the ruling's frequency, its weight."""

    x: Double
    y: Double
    value: NDArray[np.complex128]
    weight: Double


def _phases(bands: list[Band], frequency: float, length: int) -> _Phases:
    width = _WINDOW_PERIODS / frequency
    step = min(width / 2, length / 16)
    centres = np.arange(width / 2, length - width / 2, step)
    columns = np.arange(length, dtype=np.float64)
    wave = np.exp(-2j * pi * frequency * columns)
    xs, ys, values, weights = [], [], [], []
    for band in bands:
        for centre in centres:
            first, last = max(int(centre - 0.75 * width), 0), min(int(centre + 0.75 * width) + 1, length)
            bell = np.exp(-0.5 * ((columns[first:last] - centre) / (width / 2.4)) ** 2)
            known = bell * band.known[first:last]
            if known.sum() < 0.75 * 1.045 * width:
                continue
            bell = known
            part = band.profile[first:last]
            part = part - float((part * bell).sum() / bell.sum())
            value = complex((part * bell * wave[first:last]).sum())
            power = float((part * part * bell).sum()) * float(bell.sum())
            xs.append(centre)
            ys.append((band.first + band.last - 1) / 2)
            values.append(value)
            weights.append(abs(value) ** 2 / max(power, 1e-12))
    weight = np.array(weights)
    return _Phases(np.array(xs), np.array(ys), np.array(values), weight)


def _fit(turned: Turned, frequency: float, bands: list[Band]) -> Ruling:
    phases = _phases(bands, frequency, turned.size[0])
    if len(phases.x) < 8:
        raise no_ruling("too little of it is seen")
    unit = phases.value / np.maximum(np.abs(phases.value), 1e-12)
    strength = np.abs(phases.value)
    seen = (phases.weight > 0.25 * np.quantile(phases.weight, 0.9)) & (strength > _FAINT * np.quantile(strength, 0.9))
    weight = np.where(seen, phases.weight, 0.0)
    x, y = phases.x - turned.size[0] / 2, phases.y - turned.size[1] / 2
    plane = _coarse_plane(unit, weight, x, y, frequency)
    # Numbers and other marks repeat too, but beside the lines: windows that disagree with most lose their say.
    kept = weight
    for _ in range(12):
        residual = _wrapped(np.angle(unit) - plane[0] - plane[1] * x - plane[2] * y)
        typical = 1.4826 * float(np.median(np.abs(residual[weight > 0])))
        cutoff = max(_TUKEY * typical, 0.06)
        kept = weight * np.clip(1 - (residual / cutoff) ** 2, 0, None) ** 2
        plane = plane + _least_squares(np.column_stack([np.ones_like(x), x, y]), residual, kept)[0]
    residual = _wrapped(np.angle(unit) - plane[0] - plane[1] * x - plane[2] * y)
    coherence = abs(complex((weight * np.exp(1j * residual)).sum())) / float(weight.sum())
    stray = sqrt(float((weight * residual**2).sum() / weight.sum())) / (2 * pi)
    weight = kept
    inside = weight > 0
    if coherence < _COHERENT or stray > _STRAY_CYCLES or np.count_nonzero(inside) < 8:
        raise no_ruling("what repeats in it does not run straight through")
    fx, fy = frequency + plane[1] / (2 * pi), plane[2] / (2 * pi)
    per_px = hypot(fx, fy)
    span = float(x[inside].max() - x[inside].min()) + _WINDOW_PERIODS / frequency
    if span * per_px < FEWEST_LINES:
        raise no_ruling("fewer than ten lines are seen")
    distortion, u_share = _distortion(x, y, residual, weight, per_px, span)
    if u_share > _LARGEST_U or (distortion or 0.0) > _MOST_BENT:
        raise no_ruling("its lines do not keep one distance")
    # Lines may be brighter or darker than what lies between: their phase is 0 or half a turn.
    wanted = _line_phase(bands) - plane[0] - pi * frequency * turned.size[0]
    along = float(_wrapped(np.asarray(wanted))) / (2 * pi * fx)
    origin = turned.to_picture(turned.size[0] / 2 + along, turned.size[1] / 2)
    return Ruling(
        pitch_px=1.0 / per_px,
        u_pitch_px=u_share / per_px,
        angle_deg=degrees(_signed(turned.angle + atan2(fy, fx))),
        lines=round(span * per_px) + 1,
        origin_px=origin,
        span_px=(span, float(y[inside].max() - y[inside].min())),
        distortion=distortion,
    )


def _coarse_plane(unit: NDArray[np.complex128], weight: Double, x: Double, y: Double, frequency: float) -> Double:
    """Phase, and its slope in x and y, from the best of many slopes: no unwrapping that one bad window could spoil."""
    best, best_score = np.zeros(3), -1.0
    # The period is known to a per cent, or less well where few lines are seen.
    reach = max(0.03, 0.5 / max(float(np.ptp(x)) * frequency, 1.0))
    for dx in np.linspace(-reach, reach, 81) * 2 * pi * frequency:
        turned = weight * unit * np.exp(-1j * dx * x)
        for dy in np.linspace(-0.012, 0.012, 25) * 2 * pi * frequency:
            total = complex((turned * np.exp(-1j * dy * y)).sum())
            if abs(total) > best_score:
                best, best_score = np.array([np.angle(total), dx, dy]), abs(total)
    return best


def _least_squares(design: Double, values: Double, weight: Double) -> tuple[Double, Double]:
    """Weighted solution and the covariance of its entries, scaled by the scatter that is left."""
    normal = design.T @ (weight[:, None] * design)
    inverse = np.linalg.pinv(normal)
    solution = inverse @ (design.T @ (weight * values))
    left = values - design @ solution
    freedom = max(np.count_nonzero(weight > 0) - design.shape[1], 1)
    spread = float((weight * left**2).sum() / weight.sum()) * np.count_nonzero(weight > 0) / freedom
    sandwich = inverse @ (design.T @ ((weight**2)[:, None] * design)) @ inverse
    return solution, np.asarray(sandwich * spread)


def _wrapped(phase: Double) -> Double:
    return np.asarray((phase + pi) % (2 * pi) - pi)


def _distortion(
    x: Double, y: Double, residual: Double, weight: Double, per_px: float, span: float
) -> tuple[float | None, float]:
    """Largest departure of the local pitch, as a share; and the relative uncertainty of the mean pitch."""
    reach = max(float(np.abs(x).max()), 1.0)
    u, v = x / reach, y / reach
    one = np.ones_like(u)
    straight = np.column_stack([one, u, v])
    _, covariance = _least_squares(straight, residual, weight)
    # Neighbouring windows overlap by half: their errors are not independent.
    u_share = sqrt(2.0 * float(covariance[1, 1])) / reach / (2 * pi * per_px)
    if np.count_nonzero(weight > 0) < 40 or span < 0.5 * 2 * reach:
        return None, u_share
    curved = np.column_stack([one, u, v, u * u, u * v, v * v, u**3, u * v * v])
    bend, uncertain = _least_squares(curved, residual, weight)
    slope = (bend[1] + 2 * bend[3] * u + bend[4] * v + 3 * bend[6] * u * u + bend[7] * v * v) / reach
    used = weight > 0
    departure = slope[used] / (2 * pi * per_px)
    departure -= departure.mean()
    noise = sqrt(float(uncertain[3, 3] + uncertain[6, 6])) / reach / (2 * pi * per_px)
    largest = float(np.quantile(np.abs(departure), 0.98))
    # A bent field has no one pitch: what the mean stands for depends on where it was taken.
    return largest, hypot(u_share, 0.0 if largest < 3 * noise else largest / sqrt(12) * 0.5)


def _line_phase(bands: list[Band]) -> float:
    """0 where lines are brighter than what lies between, π where they are darker: by the profile's skewness."""
    values = np.concatenate([band.profile[band.known] for band in bands])
    centred = values - values.mean()
    return 0.0 if float((centred**3).mean()) > 0 else pi
