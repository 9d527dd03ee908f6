"""The second look at a stack: every pair again, with the depth that the first look found, and all as one graph."""

from collections.abc import Collection, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.depth import Surface
from amber_ladder.core.frames import Progress, ahead
from amber_ladder.core.fusion._brightness import Brightness
from amber_ladder.core.fusion._doubt import doubted
from amber_ladder.core.fusion._growth import Growth, growth_between
from amber_ladder.core.fusion._moved import MotionWatch
from amber_ladder.core.fusion._reference import narrowest, surest_frame
from amber_ladder.core.fusion._small import SmallPictures, shrunk
from amber_ladder.core.fusion._unsure import corner_px
from amber_ladder.core.registration import (
    Fit,
    Levelled,
    Link,
    Matrix,
    Relief,
    Side,
    compose,
    fit_pair,
    inverse,
    register_pair,
    rescaled,
    scale_of,
    solve_graph,
    wide_blur,
)

Float = NDArray[np.float32]

_GAMMA = 2.2  # of common picture files, nearly enough
_EVEN_PX = 6.0  # over which depth is evened out: its noise, times the blur's change, would be taken for movement
_STEEP = 0.6  # spread of depth within that, in steps, above which its slopes are not seen as they are: rims, edges
_BLUR_GUESS = 1.0
_USUAL_SPREAD_PX = 1.0  # of a lens whose detail a sensor can just hold
_TRIED, _LEAST_TRIED = 7, 2
_AGREED = 0.8
_QUITE_DIFFERENT = 1.5  # frames show κ within 4 %, with glitter within a tenth
_FARTHEST_STEPS = 2.5  # between two frames: farther, the change of blur is no small one
_SURE_PX = 0.3  # a pair less sure than that leaves it to the first look
_FIRST_LOOK_PX = np.diag([0.15, 0.08, 0.05, 0.05]) ** 2
_ADRIFT_PX = np.array([0.1, 0.0, 0.0, 0.0])  # where nothing is sharp, pairs grow or shrink, always the same way
_FEW_MOVES, _MOVING_SHARE = 3, 0.125
_LIKELY_BLUR = (0.05, 15.0)
_LIKE = 0.5  # of frames over one other, below which they say nothing of each other


@dataclass(frozen=True, slots=True)
class Geometry:
    """``matrices`` map each frame to the one at place ``reference``.

    ``covariances`` (N, 4, 4) are those of scale, turn (px at the corner) and shift (px) against it.
    ``gains`` act on encoded values. ``blur_px`` is the radius by which blur grows a step, None where it did not show.
    ``moved`` are places after which something moved, and where (H, W of the surface, on the reference); none where blur
    did not show.
    """

    reference: int
    matrices: tuple[Matrix, ...]
    covariances: NDArray[np.float64]
    gains: tuple[float, ...]
    blur_px: float | None
    growth: Growth
    moved: tuple[tuple[int, NDArray[np.bool_]], ...]


def second_look(
    pictures: SmallPictures,
    used: Sequence[int],
    rough: Sequence[Matrix],
    found: Surface,
    factor: int,
    z: Sequence[float],
    leaps: Collection[int],
    spread_px: float | None,
    blur_px: float | None,
    growth: tuple[float, float] | None,
    progress: Progress,
) -> Geometry:
    """Register all used frames anew.

    ``rough`` are the first look's matrices, frame px → the canvas on which ``found`` lies (``factor`` times smaller,
    in places of ``used``); ``z`` are the frames' focus positions in steps, rising, but after ``leaps`` (places) nobody
    knows how far the next one lies. ``spread_px`` is the standard deviation of the picture of a point in focus, px of a
    frame, ``blur_px`` the radius by which blur grows a step, where optics and positions tell: it is believed unless
    frames show something quite different. ``growth`` is the least and the most by which the picture can grow a step:
    frames that say otherwise are not believed.
    """
    shrink = pictures.shrink
    look = _Look(
        pictures,
        used,
        [rescaled(one, 1.0 / (shrink * factor)) for one in rough],
        factor,
        z,
        leaps,
        found,
        _USUAL_SPREAD_PX if spread_px is None else spread_px,
    )
    blur = _believed(None if blur_px is None else (blur_px / (shrink * factor)) ** 2, look.blur())
    links: list[Link] = []
    brightness = Brightness(z)
    past: dict[int, Side] = {}
    with ThreadPoolExecutor(max_workers=2) as pool:
        said: Iterator[Link | None] = iter(())
        for at, side in look.sides(range(len(used))):
            progress("register", len(used) + at, 2 * len(used))
            past[at] = side
            look.prepare(max(at - 1, 0))
            pairs = [(first, past[first], at, side, look.seen(first), blur) for first in range(max(at - 2, 0), at)]
            # While these are fitted, what those before said is gone through: neither waits for the other.
            before, said = said, pool.map(lambda pair: look.link(*pair), pairs)
            look.watch(at, side.light)
            links += brightness.followed(before)
            if at > 0:
                brightness.compare(at - 1, past[at - 1].light, look.seen(at - 1)[0], blur)
            past.pop(at - 2, None)
        links += brightness.followed(said)
        last = len(used) - 1
        look.prepare(last)
        brightness.compare(last, past[last].light, look.seen(last)[0], blur)
    if blur is None:
        apart = [[link for link in links if link.second - link.first == span] for span in (1, 2)]
        links = doubted(apart[0], apart[1], look.shape)
    rigid = blur is not None
    whole = shrink * factor
    sharp = found.sharp_in(len(used))
    most = int(np.argmax(sharp))
    _, unsure = solve_graph(links, z, most, look.shape, rigid=rigid, leaps=leaps)
    surest = surest_frame(most, sharp, corner_px(unsure))
    small, unsure = solve_graph(links, z, surest, look.shape, rigid=rigid, leaps=leaps)
    unsure += _added_up(links, surest, len(used))
    # Anew with the reference held: how sure a frame's place is, is how sure it is against that one.
    reference = narrowest([scale_of(matrix) for matrix in small], surest, sharp, corner_px(unsure) * whole)
    small, unsure = solve_graph(links, z, reference, look.shape, rigid=rigid, leaps=leaps)
    added = _added_up(links, reference, len(used))
    half_px = float(np.hypot(*look.shape)) / 2.0
    grown = growth_between(small, z, np.sqrt(unsure[:, 0, 0] + added[:, 0, 0]) / half_px, sharp, leaps)
    grown = grown.within(growth)
    if grown.seen is not None:
        small, unsure = solve_graph(links, z, reference, look.shape, rigid=rigid, growth=grown.per_step, leaps=leaps)
        unsure[:, 0, 0] += (grown.u_per_step * half_px * (np.asarray(z) - z[reference])) ** 2
    unsure += added
    gains = brightness.evened(len(used)) ** (1.0 / _GAMMA)
    return Geometry(
        reference,
        tuple(rescaled(one, whole) for one in small),
        unsure * whole**2,
        tuple(gains.tolist()),
        float(np.sqrt(blur)) * whole if blur else None,
        grown,
        tuple(look.moved(small)) if blur else (),
    )


def _believed(told: float | None, shown: float | None) -> float | None:
    """κ by the optics, which glitter and pits cannot deceive; by the frames where a rig or a step must be wrong."""
    if told is None or shown is None:
        return told or shown
    return told if max(told / shown, shown / told) < _QUITE_DIFFERENT else shown


def _added_up(links: Sequence[Link], reference: int, count: int) -> NDArray[np.float64]:
    """What the pairs' biases between each frame and the reference add (N, 4, 4): they don't average out."""
    bias = np.zeros((count, 4))
    for link in links:
        if link.second == link.first + 1:
            bias[link.second] = link.bias
    passed = np.cumsum(bias, axis=0)
    passed -= passed[reference]
    return np.asarray(passed[:, :, None] * passed[:, None, :], np.float64)


class _Look:
    """Pictures of the size in which frames are registered, and the depth of the stack on its canvas."""

    def __init__(
        self,
        pictures: SmallPictures,
        used: Sequence[int],
        rough: Sequence[Matrix],
        factor: int,
        z: Sequence[float],
        leaps: Collection[int],
        found: Surface,
        spread_px: float,
    ) -> None:
        self._pictures, self._used, self._rough, self._z, self._leaps = pictures, used, rough, z, leaps
        shrink = pictures.shrink
        self._spread_px = spread_px / (factor * shrink)
        rows, columns = found.index.shape[0] // shrink, found.index.shape[1] // shrink
        self.shape = (rows, columns)
        index, known = shrunk(found.index, shrink), shrunk(found.known.astype(np.float32), shrink)
        depth = np.interp(index, np.arange(len(z)), z).astype(np.float32)
        self._even, share, self._steep = _evened(depth, known)
        self._trust = np.where(self._steep < _STEEP, share, 0.0).astype(np.float32)
        self._motion, self._surface = MotionWatch(), found.index.shape
        self._seen_by: dict[int, tuple[Float, Float]] = {}
        self._tried: dict[int, Side] = {}
        self._encoded: dict[int, Levelled] = {}

    def sides(self, places: Sequence[int] | range) -> Iterator[tuple[int, Side]]:
        """The frames at these places in linear light, one after the other."""
        return ahead(lambda place: self._tried.pop(place, None) or self._side(place), places)

    def _side(self, place: int) -> Side:
        grey = self._pictures.grey(self._used[place])
        return Side(np.asarray(cv2.pow(grey, _GAMMA), np.float32), self._z[place])

    def blur(self) -> float | None:
        """How fast blur grows, κ in px² a step²: the median of what pairs show that have much in focus.

        None where they disagree: then focus did not move on from frame to frame, as by hand.
        """
        middle = np.interp(np.arange(len(self._z) - 1) + 0.5, np.arange(len(self._z)), self._z)
        sharp = self._even[self._trust > 0.3]
        inside = [np.count_nonzero(np.abs(sharp - one) < 0.5) for one in middle]
        near = [self._is_near(i, i + 1) for i in range(len(middle))]
        chosen = [int(i) for i in np.argsort(inside)[::-1] if inside[i] > 0 and near[i]][:_TRIED]
        places = sorted({place for first in chosen for place in (first, first + 1)})
        with ThreadPoolExecutor(max_workers=2) as pool:
            self._tried = dict(zip(places, pool.map(self._side, places), strict=True))
            fits = list(pool.map(self._freely, chosen))
        shown = [fit.blur for fit in fits
                 if fit and fit.blur and float(np.sqrt(np.diag(fit.covariance)).max()) < _SURE_PX]  # fmt: skip
        if len(shown) < _LEAST_TRIED:
            return None
        low, blur, high = (float(one) for one in np.quantile(shown, (0.25, 0.5, 0.75)))
        agreed = high - low < _AGREED * blur
        return blur if agreed and _LIKELY_BLUR[0] < blur < _LIKELY_BLUR[1] else None

    def link(
        self, first: int, one: Side, second: int, two: Side, seen: tuple[Float, Float], blur: float | None
    ) -> Link | None:
        """What a pair says; of neighbours at least what the first look said."""
        fit = None
        if blur is not None and self._is_near(first, second):
            relief = Relief(*seen, blur, self._spread_px)
            fit = fit_pair(one, two, self._start(first, second), relief)
        if fit and float(np.sqrt(np.diag(fit.covariance)).max()) < _SURE_PX:
            return Link(first, second, fit.matrix, fit.covariance, fit.bias)
        if blur is None:
            pair = register_pair(self._levelled(first, one), self._levelled(second, two))
            if second > first + 1 and pair.likeness < _LIKE:
                return None
            return Link(first, second, pair.matrix, pair.covariance + _FIRST_LOOK_PX, np.zeros(4))
        if second == first + 1:
            return Link(first, second, self._start(first, second), _FIRST_LOOK_PX, _ADRIFT_PX)
        return None

    def _levelled(self, place: int, side: Side) -> Levelled:
        found = self._encoded.get(place)
        if found is None:
            found = Levelled(np.asarray(side.light ** np.float32(1.0 / _GAMMA), np.float32))
            self._encoded = {at: kept for at, kept in self._encoded.items() if at >= place - 2} | {place: found}
        return found

    def _is_near(self, first: int, second: int) -> bool:
        """Whether the change of blur between both is known, and a small one."""
        leapt = any(first <= leap < second for leap in self._leaps)
        return not leapt and self._z[second] - self._z[first] < _FARTHEST_STEPS

    def watch(self, at: int, light: Float) -> None:
        """Look whether anything moved since the frames before."""
        self._motion.add(_encoded(_on_canvas(light, self._rough[at])), self._z[at])

    def seen(self, at: int) -> tuple[Float, Float]:
        """Depth (H, W) in steps, and trust in it, as the frame prepared last, or the one before it, sees them."""
        return self._seen_by[at]

    def moved(self, matrices: Sequence[Matrix]) -> Iterator[tuple[int, NDArray[np.bool_]]]:
        """Places after which something moved, and where: what was seen on the way, seen again in the final places.

        A pair that the first look misplaced moves all of what is in it. Where many pairs do, it is the frames that lie
        wrongly: of movement nothing can be told.
        """
        if len(self._motion.events) > max(_FEW_MOVES, _MOVING_SHARE * len(self._used)):
            return
        for event, _ in self._motion.events:
            again = MotionWatch()
            for place, side in self.sides(range(event - 1, event + 3)):
                again.add(_encoded(_on_canvas(side.light, matrices[place])), self._z[place])
            for _, mask in again.events:
                size = (self._surface[1], self._surface[0])
                whole = cv2.resize(mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST)
                yield event, np.asarray(whole > 0, np.bool_)

    def _start(self, first: int, second: int) -> Matrix:
        return compose(inverse(self._rough[first]), self._rough[second])

    def _freely(self, first: int) -> Fit | None:
        relief = Relief(*self._as_seen(first), _BLUR_GUESS, self._spread_px)
        one, two = self._tried[first], self._tried[first + 1]
        return fit_pair(one, two, self._start(first, first + 1), relief, free=True)

    def prepare(self, place: int) -> None:
        """Depth and trust as this frame sees them; kept until the next but one, with which it is compared last."""
        self._seen_by = {at: seen for at, seen in self._seen_by.items() if abs(at - place) <= 1}
        if place not in self._seen_by:
            self._seen_by[place] = self._as_seen(place)

    def _as_seen(self, place: int) -> tuple[Float, Float]:
        return self._carried(place, self._even), self._carried(place, self._trust)

    def _carried(self, place: int, plane: Float) -> Float:
        size = (plane.shape[1], plane.shape[0])
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        return np.asarray(
            cv2.warpAffine(plane, self._rough[place], size, flags=flags, borderMode=cv2.BORDER_REPLICATE), np.float32
        )


def _on_canvas(light: Float, matrix: Matrix) -> Float:
    """A frame in linear light laid where it belongs, negative where it does not reach."""
    size = (light.shape[1], light.shape[0])
    return np.asarray(cv2.warpAffine(light, matrix, size, flags=cv2.INTER_LINEAR, borderValue=-100.0), np.float32)


def _encoded(canvas: Float) -> Float:
    return np.where(canvas < 0, canvas, np.sqrt(np.maximum(canvas, 0))).astype(np.float32)


def _evened(depth: Float, known: Float) -> tuple[Float, Float, Float]:
    """Depth without its noise, how much of its surroundings is known (0 to 1), and their spread in steps."""
    weight = known + np.float32(1e-4)
    share = wide_blur(weight, _EVEN_PX)
    even = wide_blur(weight * depth, _EVEN_PX) / share
    square = wide_blur(weight * depth * depth, _EVEN_PX) / share
    spread = np.sqrt(np.maximum(square - even * even, 0.0))
    return np.asarray(even, np.float32), np.asarray(share, np.float32), np.asarray(spread, np.float32)


def carried_over(
    index: Float, peaks: Float, confidence: Float, rough: Sequence[Matrix], matrices: Sequence[Matrix], factor: int
) -> tuple[Float, Float]:
    """``peaks`` and ``confidence`` (H, W) from the first look's canvas on the new reference, ``factor`` times smaller.

    What is sharp in frame k was laid on the canvas by ``rough[k]`` and belongs where ``matrices[k]`` puts it: ``index``
    (H, W, complete) says which frame that is. NaN and 0 beyond the canvas.
    """
    if not index.shape == peaks.shape == confidence.shape:  # what is compiled would not notice
        raise ValueError(f"{index.shape}, {peaks.shape} and {confidence.shape} are no planes of one canvas")
    back = np.array([rescaled(compose(old, inverse(new)), 1.0 / factor)
                     for old, new in zip(rough, matrices, strict=True)], np.float32)  # fmt: skip
    new_peaks, new_confidence = np.empty_like(peaks), np.empty_like(confidence)
    half = len(index) // 2
    with ThreadPoolExecutor(max_workers=2) as pool:
        list(pool.map(lambda rows: _carry_over(index, peaks, confidence, back, *rows, new_peaks, new_confidence),
                      ((0, half), (half, len(index)))))  # fmt: skip
    return new_peaks, new_confidence


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _carry_over(
    index: Float, peaks: Float, confidence: Float, back: Float, first: int, end: int, new_peaks: Float,
    new_confidence: Float,
) -> None:  # fmt: skip
    # By threads of the caller's: in parallel, numba took half of what lies outside for inside.
    height, width = index.shape
    last = len(back) - 1
    for y in range(first, end):
        for x in range(width):
            frame, j, i, row, column = len(back) // 2, 0, 0, 0, 0
            for _ in range(3):
                j = int(np.rint(back[frame, 1, 0] * x + back[frame, 1, 1] * y + back[frame, 1, 2]))
                i = int(np.rint(back[frame, 0, 0] * x + back[frame, 0, 1] * y + back[frame, 0, 2]))
                row, column = min(max(j, 0), height - 1), min(max(i, 0), width - 1)
                frame = min(max(int(np.rint(index[row, column])), 0), last)
            new_peaks[y, x], new_confidence[y, x] = np.nan, 0.0
            if row == j and column == i:
                new_peaks[y, x], new_confidence[y, x] = peaks[row, column], confidence[row, column]
