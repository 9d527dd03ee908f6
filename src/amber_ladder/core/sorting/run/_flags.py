"""What is wrong with single frames of a take, each with a figure and a reason."""

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting.run._file import SeenFile, beside, lowest, thumbs_alike
from amber_ladder.core.sorting.run._split import BLACK_LEVEL, Piece, distance

Float = NDArray[np.float32]
Kind = Literal["dark", "bright", "shaken", "jolted", "duplicate", "moved", "out_of_focus", "clipped", "odd_size"]

_UNEVEN_STOPS = 0.5
_BESIDE = 3  # fit frames on either side that a frame is held against
_CLIPPED = 0.01  # share of a frame
_LEAP = 3.5  # times the distance of neighbours, to both of a frame's
_ALIKE_ACROSS = 0.98  # likeness of those two
_JOLT_WIDTHS, _JOLT_TIMES = 0.005, 8.0  # of the frame's width, and of the usual shift
_MOVED_STEP, _MOVED_MOST, _MOVED_REST = 2.4, 4.0, 2.0  # times the usual: distance, the most changed place, a quarter
_PART_STEP, _PART_CHANGE, _PART_PLACES, _PART_NOISE = 1.5, 7.0, 3, 0.1
"""A small part: distance, times the usual; and what so many places change more than usual, in spreads of the change

nearby (and so much, in grey values). In 17 cards of even seeds nothing else that is as far apart changes by more
than 5.5.
"""
_GAP_STEP, _GAP_FAR, _GAP_BOTH, _GAP_MOST = 1.9, 3.5, 5.0, 4.0
"""Distance; how far focus moved; distance × root of that, all times the usual; distance × focus against the most

nearby.
"""
_GAP_SURELY = 8.0  # focus moved so far: whatever else it looks like, frames are missing
_SAME = 0.02  # of how focus usually moves between neighbours
_TELLS, _MOVES_BESIDE = 20.0, 0.3  # times what noise makes look so; and of the usual, on either side
_USUAL_OF_ALL = 0.25  # usual is at least so much of what is usual in the whole take
_SMEARED = 0.69  # detail left in the worst direction, of that in the best one
_LOST = 0.72  # detail left in the worst direction
_LOST_HERE, _EVERYWHERE = 0.9, 0.17  # left at a place that lost some, and the share of places that did
_OVER_NOISE, _LEAST_PLACES = 2.0, 6
_MOST_MISSING = 12


@dataclass(frozen=True, slots=True)
class Flag:
    """What is wrong with the file at a place of the run. ``box`` (x, y, width, height) in shares of the frame."""

    place: int
    kind: Kind
    figure: float
    unit: str
    reason: str
    box: tuple[float, float, float, float] | None = None


@dataclass(frozen=True, slots=True)
class Hole:
    """Frames that are missing between two places of the run, as far as the pictures tell."""

    after: int
    before: int
    missing: int


@dataclass(frozen=True, slots=True)
class Judged:
    """A take's flags, its holes, and the places of frames that are fit to be looked at for focus."""

    flags: tuple[Flag, ...]
    holes: tuple[Hole, ...]
    fit: tuple[int, ...]


def judge(files: Sequence[SeenFile], piece: Piece) -> Judged:
    """Judge the frames of one take against those beside them."""
    flags = [_clipped(files, place) for place in piece.places if files[place].look.clipped > _CLIPPED]
    usual = files[next((place for place in piece.places if place not in piece.strays), piece.places[0])]
    flags += [_odd_size(files, place, usual) for place, kind in piece.strays.items() if kind == "odd_size"]
    in_size = [place for place in piece.places if piece.strays.get(place) != "odd_size"]
    uneven = _unevenly_lit(files, in_size, piece)
    flags += uneven
    unlit = {one.place for one in uneven}
    lit = [place for place in in_size if place not in unlit]
    blurred = {*(place for place, kind in piece.strays.items() if kind == "out_of_focus"), *_leapt_out(files, lit)}
    flags += [out_of_focus(place) for place in lit if place in blurred]
    fit = [place for place in lit if place not in blurred]
    flags += _copies(files, piece.places)
    if piece.by_hand:
        return Judged(tuple(flags), (), tuple(fit))
    more, holes = _neighbours(files, fit, {one.place for one in flags if one.kind == "duplicate"})
    flags += more
    leapt = {one.place for one in more}
    shaken = _shaken(files, fit, leapt)
    flags += shaken
    # A shaken frame lies as far from its neighbours as if some were missing.
    blurred = {one.place for one in shaken}
    holes = [one for one in holes if one.after not in blurred and one.before not in blurred]
    return Judged(tuple(sorted(flags, key=lambda one: one.place)), tuple(holes), tuple(fit))


def _clipped(files: Sequence[SeenFile], place: int) -> Flag:
    share = files[place].look.clipped
    return Flag(place, "clipped", 100 * share, "%", f"{100 * share:.1f} % of it is clipped: what was there is lost")


def _odd_size(files: Sequence[SeenFile], place: int, usual: SeenFile) -> Flag:
    one = files[place]
    return Flag(
        place, "odd_size", float(one.width_px), "px",
        f"is {one.width_px} × {one.height_px} px, the others {usual.width_px} × {usual.height_px} px",
    )  # fmt: skip


def _unevenly_lit(files: Sequence[SeenFile], places: Sequence[int], piece: Piece) -> list[Flag]:
    """Frames whose light differs from that of frames beside them that were lit."""
    lit = [at for at, place in enumerate(places) if piece.strays.get(place) != "dark"]
    if len(lit) < 3:
        return []
    cells = np.stack([files[place].look.cells.ravel() for place in places])
    stops = np.empty(len(places))
    stops[lit] = np.median(cells[lit] - np.median(cells[lit][beside(len(lit), _BESIDE)], axis=1), axis=1)
    for at in set(range(len(places))) - set(lit):
        right = bisect_left(lit, at)
        near = lit[max(right - _BESIDE, 0) : right + _BESIDE]
        stops[at] = np.median(cells[at] - np.median(cells[near], axis=0))
    return [_uneven(files, places[at], float(one)) for at, one in enumerate(stops) if abs(one) >= _UNEVEN_STOPS]


def _uneven(files: Sequence[SeenFile], place: int, stops: float) -> Flag:
    if stops > 0:
        return Flag(place, "bright", stops, "stops", f"is {stops:.1f} stops brighter than the frames beside it")
    black = " or more" if files[place].look.level < BLACK_LEVEL else ""
    reason = f"is {-stops:.1f} stops{black} darker than the frames beside it: did the flash fire?"
    return Flag(place, "dark", stops, "stops", reason)


def _leapt_out(files: Sequence[SeenFile], places: Sequence[int]) -> list[int]:
    """Frames that lie far from both neighbours, which belong together, and show less detail than they."""
    steps = [distance(files, *pair) for pair in pairwise(places)]
    found = []
    for at in range(2, len(places) - 2):
        if min(steps[at - 1], steps[at]) <= _LEAP * max(steps[at - 2], steps[at + 1]):
            continue
        before, place, after = places[at - 1 : at + 2]
        less = files[place].look.detail.max() < max(files[one].look.detail.max() for one in (before, after))
        if less and thumbs_alike(files[before], files[after]) > _ALIKE_ACROSS:
            found.append(place)
    return found


def out_of_focus(place: int) -> Flag:
    """A frame between others that show something sharp."""
    return Flag(place, "out_of_focus", 0.0, "tiles", "nothing in it is sharp, though it is in the frames beside it")


def _copies(files: Sequence[SeenFile], places: Sequence[int]) -> list[Flag]:
    seen: dict[bytes, int] = {}
    flags = []
    for place in places:
        first = seen.setdefault(files[place].digest, place)
        if first != place:
            flags.append(
                Flag(
                    place, "duplicate", 0.0, "of a step", f"is the same picture as {files[first].name}, pixel for pixel"
                )
            )
    return flags


def _neighbours(files: Sequence[SeenFile], fit: Sequence[int], copies: set[int]) -> tuple[list[Flag], list[Hole]]:
    """What only a frame and the one right before it tell: jolts, parts that moved, copies, holes."""
    flags: list[Flag] = []
    holes: list[Hole] = []
    pairs = [
        pair for pair in pairwise(fit) if pair[1] == pair[0] + 1 and files[pair[1]].against and pair[1] not in copies
    ]
    if len(pairs) < 3:
        return flags, holes
    seen = _Pairs.of(files, pairs)
    usual = seen.part(beside(len(pairs), _BESIDE))
    shifts = np.hypot(*(seen.shifts - np.median(usual.shifts, axis=1)).T)
    jitter = np.median(np.hypot(*np.moveaxis(usual.shifts - np.median(usual.shifts, axis=1)[:, None], 2, 0)), axis=1)
    steps = seen.steps / np.maximum(np.median(usual.steps, axis=1), 1e-4)
    changes_usually = np.median(usual.changes, axis=1)
    changed = (seen.changes + 0.5) / (changes_usually + 0.5)
    parts = _parts_changed(seen.changes - changes_usually, usual.changes - changes_usually[:, None])
    sameness, gaps = _sameness(pairs, seen), _gaps(seen, steps)
    for number, (before, after) in enumerate(pairs):
        step, shift, changes, same = (one[number] for one in (steps, shifts, changed, sameness))
        moved = step > _MOVED_STEP and changes.max() > _MOVED_MOST and lowest(changes, 0.25) < _MOVED_REST
        if gaps[number] > (_GAP_SURELY if moved else 0.0):
            holes.append(Hole(before, after, _missing(files, fit, before, after)))
        elif moved or (step > _PART_STEP and parts[number] > _PART_CHANGE):
            flags.append(_moved(after, changes))
        elif shift > max(_JOLT_WIDTHS, _JOLT_TIMES * jitter[number]):
            flags.append(_jolted(files, after, float(shift)))
        elif same < _SAME:
            reason = f"shows the same as {files[before].name}: focus did not move"
            flags.append(Flag(after, "duplicate", float(same), "of a step", reason))
    return flags, holes


@dataclass(frozen=True, slots=True)
class _Pairs:
    """What neighbours (N) differ by: distance, shift, place by place (N, 9, 12), and how far focus moved beyond what

    chance makes look so.
    """

    steps: NDArray[np.float64]
    shifts: NDArray[np.float64]
    changes: Float
    focus: NDArray[np.float64]
    by_chance: NDArray[np.float64]

    def part(self, which: NDArray[np.intp]) -> "_Pairs":
        """Those of these numbers."""
        return _Pairs(
            self.steps[which], self.shifts[which], self.changes[which], self.focus[which], self.by_chance[which]
        )

    @classmethod
    def of(cls, files: Sequence[SeenFile], pairs: Sequence[tuple[int, int]]) -> "_Pairs":
        against = [one for _, after in pairs if (one := files[after].against)]
        return cls(
            np.array([distance(files, *pair) for pair in pairs]), np.array([one.shift for one in against]),
            np.stack([one.changes for one in against]),
            np.array([max(one.refocused - one.by_chance, 0.0) for one in against]),
            np.array([one.by_chance for one in against]),
        )  # fmt: skip


def _sameness(pairs: Sequence[tuple[int, int]], seen: "_Pairs") -> NDArray[np.float64]:
    """How far focus moved in each pair, of how far it does in those nearby; infinite where the pictures do not tell.

    They tell where focus usually makes far more of a difference than noise, and where it moved on either side: beyond
    the ends of a specimen, and between two parts of it, a step of focus shows as little as none.
    """
    usual = np.median(seen.focus[beside(len(pairs), _BESIDE)], axis=1)
    usual = np.maximum(usual, _USUAL_OF_ALL * np.median(seen.focus))
    by_file = {after: one for (_, after), one in zip(pairs, seen.focus, strict=True)}
    # Of two on each side: three frames at one place are two such pairs in a row.
    sides = [
        min(max(by_file.get(one, 0.0) for one in side) for side in ((after - 1, after - 2), (after + 1, after + 2)))
        for _, after in pairs
    ]
    tells = (usual > _TELLS * seen.by_chance) & (np.array(sides) > _MOVES_BESIDE * usual)
    return np.where(tells, seen.focus / np.maximum(usual, 1e-9), np.inf)


def _gaps(seen: "_Pairs", steps: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far focus moved, of the usual, in neighbours that have frames missing between them; 0 in others.

    They are far apart (``steps``, of the usual), and focus moved as far. A part that moved changes the picture as
    much, but not as focus does.
    """
    nearby = np.maximum(seen.focus[beside(len(steps), _BESIDE)], 1e-9)
    far, most = seen.focus / np.median(nearby, axis=1), seen.focus / nearby.max(axis=1)
    both = (steps * np.sqrt(far) > _GAP_BOTH) & (steps * most > _GAP_MOST)
    missing = (steps > _GAP_STEP) & (far > _GAP_FAR) & both
    return np.where(missing, far, 0.0)


def _parts_changed(more: Float, nearby: Float) -> Float:
    """How much more than usual the places (N, 9, 12) of a small part changed, in spreads of the change nearby: (N,).

    ``nearby`` (N, others, 9, 12) is that of neighbours beside them.
    """
    spread = 1.4826 * np.median(np.abs(nearby), axis=1) + _PART_NOISE
    sorted_changes = np.sort((more / spread).reshape(len(more), -1), axis=1)
    return np.asarray(sorted_changes[:, -_PART_PLACES], np.float32)


def _moved(place: int, changes: Float) -> Flag:
    """The box holds all places that changed more than usual by at least a third of what the most changed one did."""
    many = changes > 1.0 + 0.35 * (changes.max() - 1.0)
    rows, columns = np.flatnonzero(many.any(axis=1)), np.flatnonzero(many.any(axis=0))
    height, width = changes.shape
    box = (
        columns[0] / width,
        rows[0] / height,
        (columns[-1] + 1 - columns[0]) / width,
        (rows[-1] + 1 - rows[0]) / height,
    )
    most = float(changes.max())
    return Flag(
        place, "moved", most, "times the usual change",
        "a part of it lies elsewhere than in the frame before", tuple(float(one) for one in box),  # type: ignore[arg-type]
    )  # fmt: skip


def _jolted(files: Sequence[SeenFile], place: int, shift: float) -> Flag:
    one = files[place]
    pixels = shift * one.width_px
    return Flag(place, "jolted", pixels, "px", f"all of it has leapt by {pixels:.0f} px against the frame before")


def _missing(files: Sequence[SeenFile], fit: Sequence[int], before: int, after: int) -> int:
    """How many frames a hole lacks: as many as lie between frames right beside it that are as unlike as its ends."""
    over = 1.0 - thumbs_alike(files[before], files[after])
    at = fit.index(before)
    for apart in range(2, _MOST_MISSING + 2):
        known = [
            1.0 - thumbs_alike(files[fit[one]], files[fit[one + apart]])
            for one in (at - apart, at + 1)
            if one >= 0 and one + apart < len(fit)
        ]
        if known and float(np.mean(known)) >= over:
            return apart - 1
    return _MOST_MISSING


def _shaken(files: Sequence[SeenFile], fit: Sequence[int], leapt: set[int]) -> list[Flag]:
    """Frames that lost detail along one direction against both neighbours, where both show it."""
    between = [
        at for at in range(1, len(fit) - 1) if fit[at + 1] == fit[at - 1] + 2 and not {fit[at], fit[at + 1]} & leapt
    ]
    if not between:
        return []
    along = np.stack([files[place].look.along.reshape(-1, 8) for place in fit])
    level = along.mean(axis=2)
    calm = lowest(level, 0.15, axis=1)
    at = np.array(between)
    noise = np.minimum(np.minimum(calm[at - 1], calm[at]), calm[at + 1])
    telling = np.minimum(level[at - 1], level[at + 1]) > _OVER_NOISE * noise[:, None]
    enough = np.count_nonzero(telling, axis=1) >= _LEAST_PLACES
    at, noise, telling = at[enough], noise[enough], telling[enough]
    first, own, second = (
        ((along[one] - noise[:, None, None]) * telling[..., None]).sum(axis=1) for one in (at - 1, at, at + 1)
    )
    left = np.maximum(own, 0.02 * np.minimum(first, second))
    changes = [left / first, left / second]
    evenness = np.maximum(*(change / change.max(axis=1, keepdims=True) for change in changes)).min(axis=1)
    kept = np.maximum(*changes)
    way = kept.argmin(axis=1)
    lost = along[at, :, way] < _LOST_HERE * np.minimum(along[at - 1, :, way], along[at + 1, :, way])
    everywhere = (lost & telling).sum(axis=1) / telling.sum(axis=1)
    smeared = (evenness < _SMEARED) & (kept.min(axis=1) < _LOST) & (everywhere > _EVERYWHERE)
    return [_smeared(files, fit[at[one]], kept[one]) for one in np.flatnonzero(smeared)]


def _smeared(files: Sequence[SeenFile], place: int, kept: Float) -> Flag:
    direction = 180.0 * int(kept.argmin()) / len(kept)
    pixels = files[place].look.factor * _smear_px(float(kept.min() / kept.max()))
    return Flag(
        place, "shaken", pixels, "px",
        f"is shaken: smeared by {pixels:.0f} px or more along {direction:.0f}° (0° is across, 90° down)",
    )  # fmt: skip


@cache
def _lefts() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Lengths of a smear (a box, px), and how much less energy it leaves along its direction than across.

    Of detail that is alike at all scales and in all directions, blurred as sharp pictures are (variance 0.9 px²).
    """
    k, turn = np.meshgrid(np.linspace(0.02, np.pi, 120), np.linspace(0, np.pi / 2, 60))
    weight = k**3 * np.exp(-0.9 * k**2)
    lengths = np.arange(0.0, 24.5, 0.5)
    left = [weight * np.sinc(k * np.cos(turn) * length / (2 * np.pi)) ** 2 for length in lengths]
    along, across = (np.array([(one * way**4).sum() for one in left]) for way in (np.cos(turn), np.sin(turn)))
    return lengths, along / across


def _smear_px(left: float) -> float:
    lengths, lefts = _lefts()
    return float(np.interp(-left, -lefts, lengths))
