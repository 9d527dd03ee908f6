"""Where one take ends and the next begins, and what lies between them."""

from bisect import bisect_left, bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting.run._file import SeenFile, details, lowest, thumbs_alike

Float = NDArray[np.float32]

MOST_BLANK = 3
"""Files in a row that show nothing and still only separate."""
_AGAIN, _ELSE = "focus starts over", "the picture shows something else"
_UNLIKE = 0.9  # likeness of neighbours: below it another thing is seen
_SAME_THING = 0.6  # likeness of tiny pictures, however focused
_ONE_STEP = 0.985  # likeness of tiny pictures two steps apart; a hand's burst keeps 0.97
_ONE_STEP_BY_HAND = 0.97
_STANDS_OUT = 3.0  # detail of the best tile over what tiles without any show nearby
_STANDS_OUT_HERE = 2.5
_NEARBY = 20
_DARKER_STOPS = 0.7
BLACK_LEVEL = -8.5  # stops below white
_SHARP_TILES = 1.35
_CONTENT_CALM_PX, _OTHER_CONTENT = 3.0, 0.93
_JUMP = 3.0  # times the usual distance of neighbours
_LEAST_JUMP = 0.055  # distance: root of what is missing to a likeness of 1
_GROSS_JUMP = 0.35
_BY_HAND_SHIFT = 0.0033  # of the width, middle of a take: rails stay below a tenth of it
_USUAL_STEP = 1.8  # times the steps nearby
_PAUSE_S, _PAUSE_TIMES = 20.0, 6.0
_STEADY = 3  # frames on either side of a change that stays
_MATCH, _MATCHES = 0.85, 0.5
_SHOWS = 0.1  # of what the sharpest frame shows
_TO_MATCH, _TO_TELL, _GOES_ALONG = 12, 3, 0.7
_QUIET = 3  # frames in which nothing is sharp, between two sweeps


@dataclass(frozen=True, slots=True)
class Piece:
    """A take: places in the run, rising. ``strays`` are those among them that do not fit in, with the kind.

    ``by_hand`` where the camera wandered from frame to frame.
    """

    places: tuple[int, ...]
    strays: dict[int, str]
    by_hand: bool


@dataclass(frozen=True, slots=True)
class Border:
    """Between two files of the run (places), and why."""

    after: int
    before: int
    reason: str


@dataclass(frozen=True, slots=True)
class Split:
    """A run taken apart. ``separators`` are places of files that belong to no take."""

    pieces: tuple[Piece, ...]
    borders: tuple[Border, ...]
    separators: tuple[int, ...]


def piece_of(files: Sequence[SeenFile], strays: Mapping[int, str]) -> Piece:
    """All of these files as one take, with what does not fit in (place → kind) as it was found in the whole run."""
    return Piece(
        tuple(range(len(files))), dict(strays),
        is_by_hand(files, [place for place in range(len(files)) if place not in strays]),
    )  # fmt: skip


def split(files: Sequence[SeenFile]) -> Split:
    """Take a run of files, in the order they were shot, apart into takes. Empty runs give nothing."""
    strays, separators = _strangers(files)
    kept = [place for place in range(len(files)) if place not in separators]
    valid = [place for place in kept if place not in strays]
    borders = _better_told(files, valid, _hard_borders(files, valid, separators))
    for first, last in _segments(valid, borders):
        segment = _within(valid, first, last)
        if not is_by_hand(files, segment):
            borders += _restarts(files, segment)
    borders.sort(key=lambda one: one.before)
    pieces = []
    for first, last in _segments(kept, borders):
        places = tuple(_within(kept, first, last))
        own = {place: strays[place] for place in places if place in strays}
        pieces.append(Piece(places, own, is_by_hand(files, [place for place in places if place not in own])))
    return Split(tuple(pieces), tuple(borders), tuple(sorted(separators)))


def is_by_hand(files: Sequence[SeenFile], places: Sequence[int]) -> bool:
    """Whether the camera wandered from each of these frames to the next, as no stand does."""
    shifts = [
        float(np.hypot(*against.shift))
        for before, place in pairwise(places)
        if place == before + 1 and (against := files[place].against)
    ]
    return len(shifts) > 3 and median(shifts) > _BY_HAND_SHIFT


def distance(files: Sequence[SeenFile], before: int, after: int) -> float:
    """How far two files lie apart: the root of what their likeness lacks to 1. Neighbours are laid upon each other."""
    against = files[after].against if after == before + 1 else None
    alike = against.likeness if against else thumbs_alike(files[before], files[after])
    return float(np.sqrt(max(1.0 - alike, 0.0)))


def _strangers(files: Sequence[SeenFile]) -> tuple[dict[int, str], set[int]]:
    """Files unlike both neighbours: strays within a take (place → kind), and separators."""
    strays: dict[int, str] = {}
    separators: set[int] = set()
    if not files:
        return strays, separators
    shows = _shows_something(files)
    place = 0
    while place < len(files):
        length = next((n for n in range(1, MOST_BLANK + 1) if _stands_alone(files, place, n, shows)), 0)
        for one in range(place, place + length):
            kind = _stray_kind(files, one, (place - 1, place + length), shows)
            if kind:
                strays[one] = kind
            else:
                separators.add(one)
        place += max(length, 1)
    for place in range(1, len(files) - 1):
        if place in strays or place in separators:
            continue
        before, after = files[place - 1].form, files[place + 1].form
        if files[place].form != before and before == after:
            strays[place] = "odd_size"
    return strays, separators


def _shows_something(files: Sequence[SeenFile]) -> NDArray[np.bool_]:
    """Whether a tile of each file stands out of the noise nearby, and of its own: takes differ in noise."""
    shown = details(files).reshape(len(files), -1)
    calm = lowest(shown, 0.2, axis=1)
    floors = [lowest(calm[max(i - _NEARBY, 0) : i + _NEARBY + 1], 0.3) for i in range(len(files))]
    least = np.maximum(_STANDS_OUT * np.array(floors, np.float32), _STANDS_OUT_HERE * lowest(shown, 0.5, axis=1))
    return np.asarray(shown.max(axis=1) > least)


def _stands_alone(files: Sequence[SeenFile], first: int, count: int, shows: NDArray[np.bool_]) -> bool:
    """Whether so many files show nothing and are unlike what lies on both sides of them."""
    last = first + count - 1
    if last >= len(files) or any(
        shows[place] and files[place].look.level > BLACK_LEVEL for place in range(first, last + 1)
    ):
        return False
    unlike_before = first == 0 or _unlike(files, first - 1, first)
    unlike_after = last == len(files) - 1 or _unlike(files, last, last + 1)
    return unlike_before and unlike_after and (first > 0 or last < len(files) - 1)


def _unlike(files: Sequence[SeenFile], before: int, after: int) -> bool:
    against = files[after].against
    return (against.likeness if against else thumbs_alike(files[before], files[after])) < _UNLIKE


def _stray_kind(files: Sequence[SeenFile], place: int, around: tuple[int, int], shows: NDArray[np.bool_]) -> str | None:
    """Why a file that shows nothing belongs to the take around it all the same; None for a separator."""
    before, after = around
    if before < 0 or after >= len(files):
        return None
    alike = thumbs_alike(files[before], files[after])
    if alike < _ONE_STEP_BY_HAND:
        return None
    same = max(thumbs_alike(files[place], files[one], calm_px=2.0) for one in around) > _SAME_THING
    darker = files[place].look.level < min(files[before].look.level, files[after].look.level) - _DARKER_STOPS
    if same:
        return "dark" if darker else "out_of_focus"
    if darker and files[place].look.level < BLACK_LEVEL and alike > _ONE_STEP:
        # A flash that did not fire stands among frames that show something; a lens is covered after the last.
        return "dark" if any(shows[one] for one in around) else None
    return None


def _hard_borders(files: Sequence[SeenFile], valid: Sequence[int], separators: set[int]) -> list[Border]:
    usual_s = _usual_interval(files, valid)
    borders = []
    for at, (before, after) in enumerate(pairwise(valid)):
        reasons = (
            _between(files, before, after, separators),
            _other_camera(files, before, after),
            _other_exposure(files, valid, at),
            _focus_back(files, valid, at),
            _pause(files, before, after, usual_s),
            _other_content(files, before, after),
        )
        told = [reason for reason in reasons if reason]
        if told:
            borders.append(Border(before, after, "; ".join(told)))
    return borders


def _better_told(files: Sequence[SeenFile], valid: Sequence[int], borders: Sequence[Border]) -> list[Border]:
    """The same borders; where a picture far out of focus looks like another one, it is said that focus starts over."""
    segments = [_within(valid, *ends) for ends in _segments(valid, borders)]
    told = []
    for border, before, after in zip(borders, segments, segments[1:], strict=False):
        shown = [details([files[place] for place in segment]) for segment in (before, after)]
        again = border.reason == _ELSE and files[before[-1]].form == files[after[0]].form and _starts_over(*shown)
        told.append(Border(border.after, border.before, _AGAIN) if again else border)
    return told


def _between(files: Sequence[SeenFile], before: int, after: int, separators: set[int]) -> str | None:
    between = [place for place in range(before + 1, after) if place in separators]
    if not between:
        return None
    black = all(files[place].look.level < BLACK_LEVEL for place in between)
    return "a black frame lies between" if black else "a frame lies between that shows neither: a hand, or a blank"


def _other_camera(files: Sequence[SeenFile], before: int, after: int) -> str | None:
    one, two = files[before], files[after]
    if one.form != two.form:
        return f"frames change from {_form(one)} to {_form(two)}"
    if one.folder != two.folder:
        return f"folder {two.folder} begins" if two.folder else "another folder begins"
    return None


def _form(file: SeenFile) -> str:
    return f"{file.width_px} × {file.height_px} px of {file.bits} bits"


def _other_exposure(files: Sequence[SeenFile], valid: Sequence[int], at: int) -> str | None:
    """A change of exposure that lasts, after one that had lasted: automatic exposure changes from frame to frame."""
    before = [files[place].exposure for place in valid[max(at + 1 - _STEADY, 0) : at + 1]]
    after = [files[place].exposure for place in valid[at + 1 : at + 1 + _STEADY]]
    one, two = before[-1], after[0]
    if one is None or two is None or one == two or len(set(before)) > 1 or len(set(after)) > 1:
        return None
    told = (("exposure", " s"), ("aperture f/", ""), ("sensitivity ISO ", ""))
    changed = [
        f"{what} from {old:g} to {new:g}{unit}"
        for (what, unit), old, new in zip(told, one, two, strict=True)
        if old != new
    ]
    return f"{', '.join(changed)}"


def _focus_back(files: Sequence[SeenFile], valid: Sequence[int], at: int) -> str | None:
    """Where the camera noted that its focus leapt back, and then went on the same way as before."""
    noted = [files[place].focus_m for place in valid[max(at + 1 - _STEADY, 0) : at + 1 + _STEADY]]
    known = np.array([one for one in noted if one is not None])
    if len(known) < 2 * _STEADY:
        return None
    steps = np.diff(known)
    leap = steps[_STEADY - 1]
    before, after = (-np.sign(leap) * side for side in (steps[: _STEADY - 1], steps[_STEADY:]))
    goes_on = min(before.min(), after.min()) >= 0.0 and min(before.sum(), after.sum()) > 0.0
    if not goes_on or abs(leap) <= max(before.max(), after.max()):
        return None
    return f"{_AGAIN}: the camera noted {known[_STEADY - 1]:.6g} m, then {known[_STEADY]:.6g} m"


def _usual_interval(files: Sequence[SeenFile], valid: Sequence[int]) -> float | None:
    gaps = [gap for before, after in pairwise(valid) if (gap := _gap_s(files, before, after)) is not None]
    return median(gaps) if len(gaps) > 3 else None


def _gap_s(files: Sequence[SeenFile], before: int, after: int) -> float | None:
    one, two = files[before].captured_at, files[after].captured_at
    return (two - one).total_seconds() if one and two else None


def _pause(files: Sequence[SeenFile], before: int, after: int, usual_s: float | None) -> str | None:
    gap = _gap_s(files, before, after)
    if gap is None or usual_s is None or gap < max(_PAUSE_S, _PAUSE_TIMES * usual_s):
        return None
    if _goes_on(files, before, after):
        return None  # somebody waited, and went on where they were
    minutes = gap / 60.0
    return f"a pause of {minutes:.0f} min" if minutes >= 1.5 else f"a pause of {gap:.0f} s"


def _goes_on(files: Sequence[SeenFile], before: int, after: int) -> bool:
    """Whether focus goes on from one file to the next by a usual step, with something sharp in both."""
    floor = lowest(np.minimum(files[before].look.detail, files[after].look.detail), 0.2)
    if min(files[place].look.detail.max() for place in (before, after)) < _STANDS_OUT * floor:
        return False
    near = [distance(files, place - 1, place) for place in (before - 1, before, after + 1, after + 2)
            if 0 < place < len(files)]  # fmt: skip
    return len(near) > 1 and distance(files, before, after) < _USUAL_STEP * median(near)


def _other_content(files: Sequence[SeenFile], before: int, after: int) -> str | None:
    if distance(files, before, after) < _LEAST_JUMP:
        return None
    if thumbs_alike(files[before], files[after], calm_px=_CONTENT_CALM_PX) < _OTHER_CONTENT:
        return _ELSE
    return None


def _segments(places: Sequence[int], borders: Sequence[Border]) -> list[tuple[int, int]]:
    """First and last place of each stretch between borders."""
    if not places:
        return []
    starts = sorted({places[0], *(one.before for one in borders)})
    ends = [*(places[bisect_left(places, start) - 1] for start in starts[1:]), places[-1]]
    return list(zip(starts, ends, strict=True))


def _within(places: Sequence[int], first: int, last: int) -> list[int]:
    """Those of rising places that lie from ``first`` to ``last``."""
    return list(places[bisect_left(places, first) : bisect_right(places, last)])


def _restarts(files: Sequence[SeenFile], segment: Sequence[int]) -> list[Border]:
    """Borders where focus starts over: the picture leaps, and what was sharp before becomes sharp again."""
    if len(segment) < 6:
        return []
    steps = np.array([distance(files, before, after) for before, after in pairwise(segment)])
    usual = float(np.median(steps))
    leaps = [int(at) + 1 for at in np.flatnonzero(steps > max(_JUMP * usual, _LEAST_JUMP))]
    leaps = [at for at in leaps if not _is_stray(files, segment, at, leaps)]
    borders = []
    start = 0
    for number, at in enumerate(leaps):
        end = leaps[number + 1] if number + 1 < len(leaps) else len(segment)
        before, after = segment[at - 1], segment[at]
        if _starts_over(details([files[place] for place in segment[start:at]]),
                        details([files[place] for place in segment[at:end]])):  # fmt: skip
            borders.append(Border(before, after, _AGAIN))
            start = at
        elif steps[at - 1] > max(_GROSS_JUMP, _JUMP * usual):
            borders.append(Border(before, after, "the picture leaps"))
            start = at
    for first, last in _segments(segment, borders):
        borders += _turns(files, _within(segment, first, last))
    return borders


def _turns(files: Sequence[SeenFile], segment: Sequence[int]) -> list[Border]:
    """Borders where focus turns round: nothing is sharp for some frames, then what was sharp before is so again."""
    shown = details([files[place] for place in segment])
    best = shown.max(axis=(1, 2))
    quiet = best < 0.5 * np.percentile(best, 75)
    borders = []
    start = at = 0
    while at < len(segment):
        end = at
        while end < len(segment) and quiet[end]:
            end += 1
        if end - at >= _QUIET and start < at and end < len(segment) and _starts_over(shown[start:at], shown[end:]):
            middle = (at + end) // 2
            borders.append(Border(segment[middle - 1], segment[middle], "focus turns round where nothing is sharp"))
            start = middle
        at = max(end, at + 1)
    return borders


def _is_stray(files: Sequence[SeenFile], segment: Sequence[int], at: int, leaps: Sequence[int]) -> bool:
    """Whether the leap leads to, or back from, a single frame between two that belong together."""
    for inner in (at, at - 1):
        alone = {inner, inner + 1} <= set(leaps) and 0 < inner < len(segment) - 1
        if alone and thumbs_alike(files[segment[inner - 1]], files[segment[inner + 1]]) > _ONE_STEP:
            return True
    return False


def _starts_over(before: Float, after: Float) -> bool:
    """Whether places that were sharp in ``before`` (N, rows, columns) become sharp once more, as they did then."""
    if len(before) < 3 or len(after) < 3:
        return False
    together = np.concatenate([before, after])
    floor = np.percentile(together, 20, axis=0)
    noise = float(np.percentile(together, 10))
    over = np.maximum(together / np.maximum(floor, noise) - _SHARP_TILES, 0.0).reshape(len(together), -1)
    norms = np.linalg.norm(over, axis=1)
    unit = over / np.maximum(norms, 1e-6)[:, None]
    own = np.flatnonzero(norms[: len(before)] > _SHOWS * norms.max())
    later = len(before) + np.argsort(-norms[len(before) :])[:_TO_MATCH]
    later = later[norms[later] > _SHOWS * norms.max()]
    if own.size < _TO_TELL or later.size < _TO_TELL:
        return False
    alike = unit[later] @ unit[own].T
    matched = alike.max(axis=1) > _MATCH
    if np.mean(matched) < _MATCHES or np.count_nonzero(matched) < _TO_TELL:
        return False
    # What merely goes on is like the last frames before, the more the sooner; what is done again goes along with them.
    when, then = later[matched].astype(np.float64), own[alike[matched].argmax(axis=1)].astype(np.float64)
    if np.ptp(then) == 0 or np.ptp(when) == 0:
        return False
    slope = float(np.polyfit(when, then, 1)[0])
    return abs(float(np.corrcoef(when, then)[0, 1])) > _GOES_ALONG and 0.25 < abs(slope) < 4.0
