"""How often the lines of a ruling repeat: straightened, cut into bands, and read from the bands' spectra."""

from dataclasses import dataclass
from itertools import pairwise
from math import cos, log, pi, radians, sin
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.errors import BadInput

Float = NDArray[np.float32]
Double = NDArray[np.float64]

FINEST_PITCH_PX = 6.0
FEWEST_LINES = 10.0  # fewer leave it open whether a long distance is the pitch or a multiple of it
_STRIPES = 24  # bands along the lines in which the period is looked for
_COMB_SHARE = 0.22  # of a band's power must be periodic for the band to be believed


class TooFine(Exception):
    """The lines lie too close to be told apart at this size."""


def no_ruling(why: str) -> BadInput:
    """What a person is told when there is none."""
    return BadInput(f"no ruling was found ({why}): focus on it, light it evenly, or set two points by hand")


class Turned:
    """The picture turned so that its lines stand upright; ``inside`` is 1 where there is picture."""

    def __init__(self, flat: Float, angle: float) -> None:
        height, width = flat.shape
        c, s = cos(angle), sin(angle)
        across = abs(width * c) + abs(height * s)
        along = abs(width * s) + abs(height * c)
        self.size = (round(across), round(along))
        centre, middle = ((width - 1) / 2, (height - 1) / 2), ((self.size[0] - 1) / 2, (self.size[1] - 1) / 2)
        # Turned px to picture px.
        self.matrix = np.array(
            [
                [c, -s, centre[0] - c * middle[0] + s * middle[1]],
                [s, c, centre[1] - s * middle[0] - c * middle[1]],
            ]
        )
        flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
        self.picture = np.asarray(cv2.warpAffine(flat, self.matrix, self.size, flags=flags), np.float32)
        ones = np.ones_like(flat)
        self.inside = np.asarray(
            cv2.warpAffine(ones, self.matrix, self.size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP) > 0.99,
            np.float32,
        )
        self.angle = angle

    def to_picture(self, x: float, y: float) -> tuple[float, float]:
        """A turned point in picture px."""
        there = self.matrix @ np.array([x, y, 1.0])
        return float(there[0]), float(there[1])

    def profile(self, first: int, last: int) -> tuple[Double, NDArray[np.bool_]]:
        """Mean across the rows of a band, and where at least half of them lie in the picture."""
        count = self.inside[first:last].sum(axis=0)
        mean = (self.picture[first:last] * self.inside[first:last]).sum(axis=0) / np.maximum(count, 1)
        return mean.astype(np.float64), count >= 0.5 * (last - first)

    def remaining_tilt(self) -> float:
        """Small turn that makes the lines stand straighter, in radians: where neighbouring bands agree best."""
        rows = max(4, self.size[1] // 64)
        bands = [self.profile(first, first + rows)[0] for first in range(0, self.size[1] - rows + 1, rows)]
        best, best_score = 0.0, -1.0
        spectra = np.fft.rfft(np.array(bands), axis=1)
        spectra[:, : max(3, self.size[0] // 400)] = 0
        frequency = 2 * pi * np.fft.rfftfreq(self.size[0])
        middle = rows * np.arange(len(bands)) - rows * (len(bands) - 1) / 2
        for tilt in np.linspace(-radians(1.2), radians(1.2), 97):
            turned = (spectra * np.exp(1j * np.outer(middle * tilt, frequency))).sum(axis=0)
            score = float((np.abs(turned) ** 2).sum())
            if score > best_score:
                best, best_score = float(tilt), score
        # A line that lies farther right in lower bands leans clockwise: the direction across it turns back.
        return -best if best_score > 0 else 0.0


@dataclass(frozen=True, slots=True)
class Band:
    """Rows ``first`` to ``last`` of the turned picture, their mean, and where it is known."""

    first: int
    last: int
    profile: Double
    known: NDArray[np.bool_]


def _bands(turned: Turned) -> list[Band]:
    edges = np.linspace(0, turned.size[1], _STRIPES + 1).astype(int)
    found = []
    for first, last in pairwise(edges):
        profile, known = turned.profile(int(first), int(last))
        if np.count_nonzero(known) >= 32:
            found.append(Band(int(first), int(last), np.where(known, profile, 0.0), known))
    return found


def period(turned: Turned) -> tuple[float, list[Band]]:
    """Lines per px to about a per cent, and the bands that show the full ruling."""
    bands = _bands(turned)
    if not bands:
        raise no_ruling("the picture is too small")
    length = 4 * cv2.getOptimalDFTSize(turned.size[0])
    power = np.array([_spectrum(band, length) for band in bands])
    frequency = np.fft.rfftfreq(length)
    low = int(np.ceil(FEWEST_LINES / turned.size[0] * length))
    high = int(length / 3.0)
    # Longer marks (every fifth, every tenth) reach where the others do not; there the ruling seems coarser. The
    # bands that see most comb power decide, and of the combs that explain them the coarsest that is needed.
    best_score, best = 0.0, 0
    scores = np.zeros(len(frequency))
    strong = power.sum(axis=1) + 1e-12
    share = power / strong[:, None]
    mean = share.mean(axis=0)
    top = np.argsort(mean[low:high])[::-1][:12] + low
    for peak in top:
        for divisor in (1, 2, 3, 4, 5):
            at = round(peak / divisor)
            if at < low:
                continue
            score = _comb_share(mean, at, high)
            scores[at] = score
            if score > best_score:
                best_score, best = score, at
    if best == 0:
        raise no_ruling("nothing in it repeats")
    best = _finest_that_holds(share, best, high)
    _all_lines_alike(share, best, high)
    if frequency[best] > 1.0 / FINEST_PITCH_PX:
        raise TooFine
    believed = [band for band, own in zip(bands, share, strict=True) if _comb_share(own, best, high) > _COMB_SHARE]
    if len(believed) < 2:
        raise no_ruling("what repeats in it is too weak")
    return float(_refined(mean, best, frequency)), believed


def _spectrum(band: Band, length: int) -> Double:
    window = np.hanning(len(band.profile))
    centred = np.where(band.known, band.profile - band.profile[band.known].mean(), 0.0)
    return np.asarray(np.abs(np.fft.rfft(centred * window, length)) ** 2, np.float64)


def _comb_share(share: Double, at: int, high: int) -> float:
    """Part of the power that lies within two bins of a multiple of a frequency, less what chance would put there."""
    total = 0.0
    width = 6  # bins: the window's main lobe, at four-fold padding
    covered = 0
    for multiple in range(1, 9):
        middle = at * multiple
        # The error of a whole bin grows with the multiple.
        spread = width + multiple
        if middle + spread >= high:
            break
        total += float(share[middle - spread : middle + spread + 1].sum())
        covered += 2 * spread + 1
    rest = float(share[:high].sum())
    chance = covered / max(high, 1)
    if rest <= 0 or covered == 0 or chance > 0.75:
        return 0.0
    return max((total / rest - chance) / (1 - chance), 0.0)


def _finest_that_holds(share: NDArray[np.float64], at: int, high: int) -> int:
    """A comb of half the frequency holds all of a comb's lines too: the finest that explains some bands wholly.

    It must leave nothing between its lines there: the even harmonics of strong lines alone make a comb as well.
    """
    coarse = [_comb_share(band, at, high) for band in share]
    believed = sum(one > _COMB_SHARE for one in coarse)
    for multiple in (10, 5, 4, 3, 2):
        if at * multiple >= high:
            continue
        finer = _nearest_peak(share.mean(axis=0), at * multiple)
        own = [_comb_share(band, finer, high) for band in share]
        whole = sum(
            mine > max(_COMB_SHARE, 0.8 * all_of_it) and _alike(band, finer, high)
            for mine, all_of_it, band in zip(own, coarse, share, strict=True)
        )
        if whole >= max(2, 0.15 * believed):
            return finer
    return at


def _nearest_peak(mean: Double, at: int) -> int:
    reach = max(4, at // 50)
    return at - reach + int(np.argmax(mean[at - reach : at + reach + 1]))


def _all_lines_alike(share: NDArray[np.float64], at: int, high: int) -> None:
    """In two bands at least all lines must be alike."""
    clean = sum(_comb_share(band, at, high) >= _COMB_SHARE and _alike(band, at, high) for band in share)
    if clean < 2:
        raise no_ruling("its lines differ, so that their spacing could be taken for a multiple of it")


def _alike(band: Double, at: int, high: int) -> bool:
    """Whether a band shows little power at a half, third or fifth of the frequency: there all its lines are alike."""
    lobe = 5
    here = max(float(band[m * at - lobe : m * at + lobe + 1].max()) for m in (1, 2) if m * at + lobe < high)
    between = 0.0
    for divisor in (2, 3, 5):
        coarse = at / divisor
        if coarse < 3 * lobe:
            continue
        places = [round(m * coarse) for m in range(1, 2 * divisor) if m % divisor]
        between = max(between, *(float(band[q - lobe : q + lobe + 1].max()) for q in places if q + lobe < high))
    return between < 0.4 * here


def _refined(mean: NDArray[Any], at: int, frequency: NDArray[Any]) -> float:
    left, top, right = (log(max(float(mean[i]), 1e-30)) for i in (at - 1, at, at + 1))
    bend = left - 2 * top + right
    shift = 0.5 * (left - right) / bend if bend < 0 else 0.0
    return float((at + np.clip(shift, -1, 1)) * (frequency[1] - frequency[0]))
