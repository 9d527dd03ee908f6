"""What somebody should look at in a merge, or shoot again: few, and true."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.fusion._survey import Survey
from amber_ladder.core.fusion._unsure import SHOWN_FRAMES
from amber_ladder.core.light import Speck

Kind = Literal["gap", "end", "moved", "soft", "dust", "streak", "noise", "alignment"]

_DOUBTFUL_PX = 0.5
_GIVES = 1.0  # share of the picture, of what each frame would give if all gave alike
_SURE = 1.5  # confidence: a peak in the first or last frame is none that noise made
_END_SHARE = 0.003  # of the picture in one piece: less is a glint
_BEYOND_FRAMES = 0.25
_SOFT_SHARE = 0.0005  # of the picture: less is not seen at 1:1 for long
_MOST_DUST = 8  # the picture of a dirty sensor is not told spot by spot
_DOT_PX = 3.0
_GRAINY = 4.0  # of 255: from here on grain is what is seen first at 1:1


@dataclass(frozen=True, slots=True)
class Finding:
    """A place (px of the reference frame), the frames concerned (as numbered in the source), and what to do."""

    kind: Kind
    x: int
    y: int
    width: int
    height: int
    frames: tuple[int, ...]
    do: str


def findings(found: Survey, share: Sequence[float], names: Sequence[str]) -> list[Finding]:
    """Missing rungs, ends not reached, what moved, what the sensor adds, and frames whose place is doubtful.

    ``share`` is what each used frame gave to the picture; ``names`` are all frames' of the source.
    """
    return [
        *_gaps(found, names),
        *_ends(found, names),
        *_moved(found, names),
        *_soft(found, names),
        *_dust(found, names),
        *_streaks(found),
        *_noise(found),
        *_doubtful(found, share, names),
    ]


def _gaps(found: Survey, names: Sequence[str]) -> list[Finding]:
    told = []
    for one, two in found.gaps:
        first, second = found.used.index(one), found.used.index(two)
        index = found.surface.index
        between = (index > first - 0.5) & (index < second + 0.5)
        do = f"shoot the rungs between {names[one]} and {names[two]}: nothing is sharp at their depth in any frame"
        told.append(Finding("gap", *_box(between, found), (one, two), do))
    return told


def _ends(found: Survey, names: Sequence[str]) -> list[Finding]:
    last = len(found.used) - 1
    index, told = found.surface.index, []
    for place, beyond in ((0, index < _BEYOND_FRAMES), (last, index > last - _BEYOND_FRAMES)):
        sharp = (beyond & (found.confidence > _SURE)).astype(np.uint8)
        whole = cv2.morphologyEx(sharp, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
        count, labels, stats, _ = cv2.connectedComponentsWithStats(np.asarray(whole))
        if count < 2:
            continue
        largest = 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))
        if stats[largest, cv2.CC_STAT_AREA] < _END_SHARE * index.size:
            continue
        side = "near" if (place == 0) == found.near_first else "far"
        frame = found.used[place]
        do = (
            f"the {side} end was not reached: what lies there is sharp in {names[frame]}, and would be sharper beyond. "
            f"Shoot further rungs; it can't be mended later"
        )
        told.append(Finding("end", *_box(labels == largest, found), (frame,), do))
    return told


def _moved(found: Survey, names: Sequence[str]) -> list[Finding]:
    told = []
    for one in found.moved:
        pairs = [(found.used[place], found.used[place + 1]) for place in one.events]
        when = " and ".join(f"{names[a]} and {names[b]}" for a, b in pairs[:3]) + (" …" if len(pairs) > 3 else "")
        first, last = names[found.used[one.first]], names[found.used[one.last]]
        do = (
            f"it moved between {when}, and is shown as in {first} to {last}, so that nothing is doubled. "
            "What was in focus in other frames alone is soft. Merge again with the other side to compare, or shoot anew"
        )
        told.append(Finding("moved", *_box(one.mask, found), tuple(sorted({*sum(pairs, ())})), do))
    return told


def _soft(found: Survey, names: Sequence[str]) -> list[Finding]:
    """What was in focus on the other side of a movement alone."""
    told = []
    for one in found.moved:
        if np.count_nonzero(one.soft) < _SOFT_SHARE * one.soft.size:
            continue
        frame = found.used[one.sharp_at]
        do = (
            f"nothing is in focus here in the frames that are shown: {names[frame]}, from the other side of the "
            "movement, is sharp. Compare them, and paint it from there if it shows the same"
        )
        told.append(Finding("soft", *_box(one.soft, found), (frame,), do))
    return told


def _dust(found: Survey, names: Sequence[str]) -> list[Finding]:
    """The spots that show most in the picture: it takes them over from the frames that are in focus there."""
    told = []
    for one in found.specks:
        trail = _trail(one, found) if one.kind == "dust" else []
        if not trail:
            continue
        frames = tuple(sorted({frame for frame, _, _ in trail}))
        many = f"{len(frames)} frames" if len(frames) > 1 else names[frames[0]]
        do = (
            f"dust on the sensor, at {one.x:.0f}, {one.y:.0f} px of every frame, is taken over from {many}: mend it "
            "here, and have the sensor cleaned before the next stack"
        )
        told.append(
            (len(trail), Finding("dust", *_around([(x, y) for _, x, y in trail], one.radius_px, found), frames, do))
        )
    told.sort(key=lambda one: -one[0])
    return [finding for _, finding in told[:_MOST_DUST]]


def _streaks(found: Survey) -> list[Finding]:
    trails = [trail for one in found.specks if one.kind == "glow" and (trail := _trail(one, found))]
    if not trails:
        return []
    glow = sum(one.kind == "glow" for one in found.specks)
    frames = tuple(sorted({frame for trail in trails for frame, _, _ in trail}))
    what = "a point of the sensor that glows" if glow == 1 else f"{glow} points of the sensor that glow"
    do = (
        f"{what} in every frame leave{'s' if glow == 1 else ''} bright dots where the frames were moved to fit: have "
        "the camera map them out, or expose shorter, and mend what shows"
    )
    return [Finding("streak", *_around([(x, y) for trail in trails for _, x, y in trail], _DOT_PX, found), frames, do)]


def _trail(speck: Speck, found: Survey) -> list[tuple[int, float, float]]:
    """The frames from which a place of the sensor comes into the picture, and where it comes to lie."""
    left, top, width, height = found.crop
    rows, columns = found.surface.index.shape
    trail = []
    for place, (frame, matrix) in enumerate(zip(found.used, found.matrices, strict=True)):
        x, y = matrix @ np.array([speck.x, speck.y, 1.0])
        i, j = min(round(x / found.factor), columns - 1), min(round(y / found.factor), rows - 1)
        inside = left <= x < left + width and top <= y < top + height
        if inside and abs(found.surface.index[j, i] - place) < SHOWN_FRAMES:
            trail.append((frame, float(x), float(y)))
    return trail


def _noise(found: Survey) -> list[Finding]:
    grain = 255.0 * found.grain
    if grain < _GRAINY:
        return []
    do = (
        f"each frame has a grain of {grain:.1f} of 255: detail finer than that is lost, and depth less sure. Give more "
        "light, or a lower gain; a calm of 0.5 or more takes it from plain parts of the pyramid"
    )
    return [Finding("noise", *found.crop, (), do)]


def _doubtful(found: Survey, share: Sequence[float], names: Sequence[str]) -> list[Finding]:
    whole = found.crop
    if found.growth.seen is not None:
        steps = found.places[-1]
        do = (
            f"the frames look as if the picture grew by {found.growth.seen * steps:+.2%} over the stack, which this "
            f"rig cannot do: {found.growth.per_step * steps:+.2%} was taken. Compare the picture with single frames, "
            "and look whether rig and positions are right"
        )
        return [Finding("alignment", *whole, (), do)]
    if found.blur_px is None:
        do = "too little is in focus to tell movement from focus: compare the picture with single frames"
        return [Finding("alignment", *whole, (), do)]
    frames = tuple(
        frame
        for frame, unsure, given in zip(found.used, found.shown_px, share, strict=True)
        if unsure > _DOUBTFUL_PX and given > _GIVES / len(found.used)
    )
    if not frames:
        return []
    some = ", ".join(names[frame] for frame in frames[:4]) + (" …" if len(frames) > 4 else "")
    many = "1 frame lies" if len(frames) == 1 else f"{len(frames)} frames lie"
    they, them = ("it is", "it") if len(frames) == 1 else ("they are", "them")
    do = (
        f"{many} no surer than ± {2 * _DOUBTFUL_PX:g} px (k = 2) where {they} in focus ({some}): compare the picture "
        f"with {them} there"
    )
    return [Finding("alignment", *whole, frames, do)]


def _around(points: Sequence[tuple[float, float]], radius_px: float, found: Survey) -> tuple[int, int, int, int]:
    """A box around places of the reference frame, within what all frames share."""
    x, y, width, height = found.crop
    low, high = np.min(points, axis=0) - 2 * radius_px, np.max(points, axis=0) + 2 * radius_px
    left, top = max(int(low[0]), x), max(int(low[1]), y)
    right, bottom = min(int(high[0]) + 1, x + width), min(int(high[1]) + 1, y + height)
    return left, top, max(right - left, 1), max(bottom - top, 1)


def _box(mask: NDArray[np.bool_], found: Survey) -> tuple[int, int, int, int]:
    """Around what is marked, in px of the reference frame within the area that all share; all of that for nothing."""
    x, y, width, height = found.crop
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if rows.size == 0:
        return found.crop
    left, top = (int(edge[0]) * found.factor for edge in (columns, rows))
    right, bottom = (int(edge[-1] + 1) * found.factor for edge in (columns, rows))
    left, top = min(max(left, x), x + width - 1), min(max(top, y), y + height - 1)
    return left, top, max(min(right, x + width) - left, 1), max(min(bottom, y + height) - top, 1)
