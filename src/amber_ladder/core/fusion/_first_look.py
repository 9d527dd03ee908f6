"""The first look at a stack: frame after frame, laid on the one before it, while focus is told and harm is left out."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import WIDE, PeakTracker, focus_energy, wide_energy
from amber_ladder.core.frames import FrameSource, Progress, ahead
from amber_ladder.core.fusion._small import SmallPictures, shrunk
from amber_ladder.core.light import (
    Judged,
    LightWatch,
    ShakeWatch,
    Sight,
    SpeckWatch,
    detail_along,
    looks_at,
    sight,
    spread_tiles,
)
from amber_ladder.core.registration import IDENTITY, Levelled, compose, inverse_scaled, register_pair, rescaled
from amber_ladder.errors import BadInput, UnreadablePicture

_REGISTERED_PX = 300_000  # enough to place a frame within a pixel of the second look, which does the rest
_NEVER_HALVED_PX = 150_000
_ALIKE = 0.35  # correlation below which two neighbours do not show the same thing


@dataclass(frozen=True, slots=True)
class Excluded:
    """A frame that was left out, and why."""

    name: str
    reason: str


class Chain:
    """Registration as it grows, frame by frame, all relative to the first one."""

    def __init__(self, names: Sequence[str], factor: int) -> None:
        self._names = names
        self.excluded: list[Excluded] = []
        self.copies: list[int] = []
        self.specks = SpeckWatch(factor)
        self._begin()

    def _begin(self) -> None:
        self.last: Levelled | None = None
        self.used: list[int] = []
        self.matrices: list[NDArray[np.float64]] = []
        self.gains: list[float] = []
        self.rms_px: list[float] = []

    def add(self, index: int, picture: Levelled, matrix: NDArray[np.float64], gain: float, rms: float) -> None:
        """The next frame, and its picture as the one after it is registered on it."""
        self.used.append(index)
        self.matrices.append(matrix)
        self.gains.append(gain)
        self.rms_px.append(rms)
        self.last = picture

    def leave_out(self, index: int, reason: str) -> None:
        """A frame that takes no part."""
        self.excluded.append(Excluded(self._names[index], reason))

    def leave_out_first(self, reason: str) -> None:
        """The first frame turns out to be the stranger: the next one is the first."""
        self.leave_out(self.used[0], reason)
        self._begin()


def follow(
    frames: FrameSource, factor: int, small: SmallPictures, progress: Progress
) -> tuple[Chain, PeakTracker, PeakTracker]:
    """All frames laid one on the other, and where each place is sharpest over the fine and over the wider window."""
    chain = Chain(frames.names, factor)
    trackers: tuple[PeakTracker, PeakTracker] | None = None
    for seen in _fit(frames, factor, small, chain, progress):
        matrix, gain, rms = IDENTITY, 1.0, 0.0
        if chain.last:
            pair = register_pair(chain.last, seen.levelled)
            if pair.likeness >= _ALIKE:
                shrink = seen.shrink * factor
                matrix = compose(chain.matrices[-1], rescaled(pair.matrix, shrink))
                gain, rms = chain.gains[-1] * pair.gain, pair.rms_px * shrink
            else:
                reason = f"cannot be aligned with its neighbour (likeness {pair.likeness:.2f})"
                if len(chain.used) > 1:
                    chain.leave_out(seen.index, reason)
                    continue
                # Nothing has matched the first frame yet: rather it than this one is the stranger.
                chain.leave_out_first(reason)
        if trackers is None or not chain.used:
            trackers = _tracker(seen.energy), _tracker(seen.wide)
        chain.add(seen.index, seen.levelled, matrix, gain, rms)
        trackers[0].add(on_canvas(seen.energy, matrix, factor), gain**2)
        trackers[1].add(on_canvas(seen.wide, matrix, factor * WIDE), gain**2)
        if seen.sight:
            chain.specks.add(seen.sight)
    if trackers is None:
        raise BadInput("there is no usable frame: nothing was merged")
    return chain, *trackers


def _tracker(energy: NDArray[np.float32]) -> PeakTracker:
    return PeakTracker((energy.shape[0], energy.shape[1]))


@dataclass(frozen=True, slots=True)
class _Seen:
    """A frame's focus energy, and a picture of it ``shrink`` times smaller again, on which it is registered."""

    index: int
    energy: NDArray[np.float32]
    wide: NDArray[np.float32]
    small: NDArray[np.float32]
    levelled: Levelled
    shrink: int
    detail: NDArray[np.float32]
    sight: Sight | None


def _fit(frames: FrameSource, factor: int, small: SmallPictures, chain: Chain, progress: Progress) -> Iterator[_Seen]:
    """The frames that do no harm, in order: damaged, repeated, wrongly lit and shaken ones are left out."""
    light, shake = LightWatch[_Seen](), ShakeWatch[_Seen]()
    before: _Seen | None = None

    def settled(judged: list[Judged[_Seen]]) -> Iterator[_Seen]:
        for one in judged:
            if one.reason is None:
                yield one.frame
            else:
                chain.leave_out(one.frame.index, one.reason)

    count = len(frames.names)
    for index, seen in ahead(lambda i: _seen(frames, i, factor, small), range(count)):
        progress("register", index, 2 * count)
        if isinstance(seen, UnreadablePicture):
            chain.leave_out(index, seen.reason)
        elif before is not None and np.array_equal(seen.small, before.small):
            chain.leave_out(index, f"is the same picture as {frames.names[before.index]}")
            chain.copies.append(index)
        else:
            for lit in settled(light.add(seen, seen.small)):
                yield from settled(shake.add(lit, lit.detail))
            before = seen
    for lit in settled(light.end()):
        yield from settled(shake.add(lit, lit.detail))
    yield from settled(shake.end())


def _seen(frames: FrameSource, index: int, factor: int, kept: SmallPictures) -> _Seen | UnreadablePicture:
    """A frame as the first pass needs it, or why it cannot be read."""
    try:
        grey = frames.grey(index, factor)
    except UnreadablePicture as error:  # damage that shows when a frame is decoded
        return error
    kept.keep(index, grey)
    shrink = _registration_shrink(grey.size, factor)
    detail = detail_along(*spread_tiles(grey))
    looked = sight(grey, factor) if looks_at(index, len(frames.names)) else None
    small = shrunk(grey, shrink)
    energy = focus_energy(grey)
    return _Seen(index, energy, wide_energy(energy), small, Levelled(small), shrink, detail, looked)


def _registration_shrink(pixels: int, factor: int) -> int:
    """How much smaller than the focus picture frames are registered: at most half the frames' own size."""
    shrink = 2 if factor == 1 and pixels > _NEVER_HALVED_PX else 1
    while pixels / shrink**2 > _REGISTERED_PX:
        shrink *= 2
    return shrink


def on_canvas(energy: NDArray[np.float32], matrix: NDArray[np.float64], factor: int) -> NDArray[np.float32]:
    """Focus energy (H, W) of a frame, ``factor`` times smaller than it, laid where ``matrix`` puts it.

    Negative where it does not reach.
    """
    if matrix is IDENTITY:
        return energy
    size = (energy.shape[1], energy.shape[0])
    small = inverse_scaled(matrix, factor)
    return np.asarray(cv2.warpAffine(energy, small, size, flags=cv2.INTER_LINEAR, borderValue=-1e6), np.float32)
