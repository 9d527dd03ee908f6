"""What is wrong with single frames of a take, each with a figure and a reason."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting.run._file import SeenFile, thumbs_alike
from amber_ladder.core.sorting.run._split import Piece, distance

Float = NDArray[np.float32]
Kind = Literal["dark", "bright", "shaken", "jolted", "duplicate", "moved", "out_of_focus", "clipped", "odd_size"]

_UNEVEN_STOPS = 0.5
_BESIDE = 3  # fit frames on either side that a frame is held against
_CLIPPED = 0.01  # share of a frame
_LEAP, _ALIKE_ACROSS = 3.5, 0.98
_JOLT_WIDTHS, _JOLT_TIMES = 0.005, 8.0  # of the frame's width, and of the usual shift
_MOVED_STEP, _MOVED_MOST, _MOVED_REST = 2.4, 4.0, 2.0
_GAP_STEP, _GAP_REST = 2.2, 1.35
_SAME = 0.58  # of what neighbours differ by
_SMEARED, _LOST = 0.72, 0.75
_OVER_NOISE, _LEAST_PLACES = 2.0, 4
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
    usual = files[next(place for place in piece.places if place not in piece.strays)]
    flags += [_odd_size(files, place, usual) for place, kind in piece.strays.items() if kind == "odd_size"]
    in_size = [place for place in piece.places if piece.strays.get(place) != "odd_size"]
    uneven = {one.place: one for place in in_size if (one := _uneven(files, in_size, place, piece))}
    flags += uneven.values()
    lit = [place for place in in_size if place not in uneven]
    blurred = [place for place in lit if piece.strays.get(place) == "out_of_focus" or _leaps_out(files, lit, place)]
    flags += [_out_of_focus(place) for place in blurred]
    fit = [place for place in lit if place not in blurred]
    flags += _copies(files, piece.places)
    if piece.by_hand:
        return Judged(tuple(flags), (), tuple(fit))
    more, holes = _neighbours(files, fit, {one.place for one in flags if one.kind == "duplicate"})
    flags += more
    flags += [one for at in range(1, len(fit) - 1) if (one := _shaken(files, *fit[at - 1 : at + 2]))]
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


def _uneven(files: Sequence[SeenFile], places: Sequence[int], place: int, piece: Piece) -> Flag | None:
    at = places.index(place)
    beside = [one for one in (*places[max(at - _BESIDE, 0) : at], *places[at + 1 : at + 1 + _BESIDE])
              if piece.strays.get(one) != "dark"]  # fmt: skip
    if len(beside) < 2:
        return None
    stops = float(np.median(files[place].look.cells - np.median([files[one].look.cells for one in beside], axis=0)))
    if abs(stops) < _UNEVEN_STOPS:
        return None
    if stops < 0:
        black = " or more" if files[place].level < -8.5 else ""
        reason = f"is {-stops:.1f} stops{black} darker than the frames beside it: did the flash fire?"
        return Flag(place, "dark", stops, "stops", reason)
    return Flag(place, "bright", stops, "stops", f"is {stops:.1f} stops brighter than the frames beside it")


def _leaps_out(files: Sequence[SeenFile], places: Sequence[int], place: int) -> bool:
    """Whether a frame lies far from both neighbours, which belong together."""
    at = places.index(place)
    if not 1 < at < len(places) - 2:
        return False
    before, after = places[at - 1], places[at + 1]
    usual = max(distance(files, places[at - 2], before), distance(files, after, places[at + 2]))
    steps = min(distance(files, before, place), distance(files, place, after))
    across = thumbs_alike(files[before], files[after])
    less = files[place].look.detail.max() < max(files[one].look.detail.max() for one in (before, after))
    return bool(steps > _LEAP * usual and across > _ALIKE_ACROSS and less)


def _out_of_focus(place: int) -> Flag:
    return Flag(place, "out_of_focus", 0.0, "tiles", "nothing in it is sharp, though it is in the frames beside it")


def _copies(files: Sequence[SeenFile], places: Sequence[int]) -> list[Flag]:
    seen: dict[bytes, int] = {}
    flags = []
    for place in places:
        first = seen.setdefault(files[place].digest, place)
        if first != place:
            flags.append(Flag(place, "duplicate", 0.0, "of a step", f"is the same file as {files[first].name}"))
    return flags


def _neighbours(files: Sequence[SeenFile], fit: Sequence[int], copies: set[int]) -> tuple[list[Flag], list[Hole]]:
    """What only a frame and the one right before it tell: jolts, parts that moved, copies, holes."""
    flags: list[Flag] = []
    holes: list[Hole] = []
    pairs = [(before, after) for before, after in zip(fit, fit[1:], strict=False)
             if after == before + 1 and files[after].against and after not in copies]  # fmt: skip
    steps = np.array([distance(files, *pair) for pair in pairs])
    for number, (before, after) in enumerate(pairs):
        near = [at for at in range(max(number - _BESIDE, 0), min(number + _BESIDE + 1, len(pairs))) if at != number]
        if len(near) < 2:
            continue
        usual = _Usual.of(files, [pairs[at] for at in near], steps[near])
        step = float(steps[number] / max(usual.step, 1e-4))
        against = files[after].against
        assert against is not None
        changes = (against.changes + 0.5) / (usual.changes + 0.5)
        rest, most = float(np.percentile(changes, 25)), float(changes.max())
        shift = float(np.hypot(against.shift[0] - usual.shift[0], against.shift[1] - usual.shift[1]))
        if step > _MOVED_STEP and most > _MOVED_MOST and rest < _MOVED_REST:
            flags.append(_moved(after, changes))
        elif shift > max(_JOLT_WIDTHS * 240, _JOLT_TIMES * usual.jitter):
            flags.append(_jolted(files, after, shift))
        elif step > _GAP_STEP and float(np.percentile(changes, 10)) > _GAP_REST:
            holes.append(Hole(before, after, _missing(files, fit, before, after)))
        elif (same := _sameness(files, before, after, usual)) < _SAME:
            reason = f"shows the same as {files[before].name}: focus did not move"
            flags.append(Flag(after, "duplicate", same, "of a step", reason))
    return flags, holes


@dataclass(frozen=True, slots=True)
class _Usual:
    """What neighbours nearby differ by."""

    step: float
    shift: tuple[float, float]
    jitter: float
    changes: Float
    differs: float
    detail: float

    @classmethod
    def of(cls, files: Sequence[SeenFile], pairs: Sequence[tuple[int, int]], steps: NDArray[np.float64]) -> "_Usual":
        against = [one for _, after in pairs if (one := files[after].against)]
        x, y = np.median([one.shift for one in against], axis=0)
        jitter = float(np.median([np.hypot(one.shift[0] - x, one.shift[1] - y) for one in against]))
        return cls(
            float(np.median(steps)), (float(x), float(y)), jitter,
            np.asarray(np.median([one.changes for one in against], axis=0), np.float32),
            float(np.median([_most_differing(one.differs) for one in against])),
            float(np.median([_detail_changed(files, *pair) for pair in pairs])),
        )  # fmt: skip


def _most_differing(differs: Float) -> float:
    return float(np.sort(differs.ravel())[-20:].mean())


def _detail_changed(files: Sequence[SeenFile], before: int, after: int) -> float:
    """How far detail changed from a frame to the next, as a share of what stands out in them."""
    one, two = files[before].look.detail, files[after].look.detail
    floor = float(np.percentile(np.minimum(one, two), 10))
    first, second = np.maximum(one / floor - 1.0, 0.0), np.maximum(two / floor - 1.0, 0.0)
    return float(np.linalg.norm(first - second) / (np.linalg.norm(first) + np.linalg.norm(second) + 1e-6))


def _sameness(files: Sequence[SeenFile], before: int, after: int, usual: _Usual) -> float:
    """How far two frames differ, of what neighbours do: by their tones and by their detail."""
    against = files[after].against
    assert against is not None
    tones = _most_differing(against.differs) / max(usual.differs, 1e-3)
    return float(np.sqrt(tones * _detail_changed(files, before, after) / max(usual.detail, 1e-3)))


def _moved(place: int, changes: Float) -> Flag:
    """The box holds all places that changed by far more than usual and hang together with the most changed one."""
    many = changes > 0.35 * changes.max()
    rows, columns = np.flatnonzero(many.any(axis=1)), np.flatnonzero(many.any(axis=0))
    height, width = changes.shape
    box = (columns[0] / width, rows[0] / height, (columns[-1] + 1 - columns[0]) / width, (rows[-1] + 1 - rows[0]) / height)
    most = float(changes.max())
    return Flag(
        place, "moved", most, "times the usual change",
        "a part of it lies elsewhere than in the frame before", tuple(float(one) for one in box),  # type: ignore[arg-type]
    )  # fmt: skip


def _jolted(files: Sequence[SeenFile], place: int, shift: float) -> Flag:
    one = files[place]
    pixels = shift * one.width_px / 240.0
    return Flag(place, "jolted", pixels, "px", f"all of it has leapt by {pixels:.0f} px against the frame before")


def _missing(files: Sequence[SeenFile], fit: Sequence[int], before: int, after: int) -> int:
    """How many frames a hole lacks: the distance over it against distances of frames known to lie so far apart."""
    over = 1.0 - thumbs_alike(files[before], files[after])
    at = fit.index(before)
    sides = [fit[max(at - 2 * _MOST_MISSING, 0) : at + 1], fit[at + 1 : at + 2 + 2 * _MOST_MISSING]]
    for apart in range(1, _MOST_MISSING + 1):
        known = [
            1.0 - thumbs_alike(files[one], files[two])
            for side in sides
            for one, two in zip(side, side[apart:], strict=False)
        ]
        if known and float(np.median(known)) >= over:
            return max(apart - 1, 1)
    return _MOST_MISSING


def _shaken(files: Sequence[SeenFile], before: int, place: int, after: int) -> Flag | None:
    """Detail that is lost along one direction against both neighbours, where both show it."""
    if after != before + 2:
        return None
    sides, own = (files[one].look.along.reshape(-1, 8) for one in (before, after)), files[place].look.along.reshape(-1, 8)
    one, two = sides
    noise = min(float(np.percentile(picture.mean(axis=1), 15)) for picture in (one, own, two))
    telling = np.minimum(one.mean(axis=1), two.mean(axis=1)) > _OVER_NOISE * noise
    if np.count_nonzero(telling) < _LEAST_PLACES:
        return None
    first, second = ((side[telling] - noise).sum(axis=0) for side in (one, two))
    left = np.maximum((own[telling] - noise).sum(axis=0), 0.02 * np.minimum(first, second))
    changes = [left / first, left / second]
    evenness = float(np.maximum(*(change / change.max() for change in changes)).min())
    kept = np.maximum(*changes)
    if evenness > _SMEARED or float(kept.min()) > _LOST:
        return None
    direction = 180.0 * int(kept.argmin()) / 8
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
