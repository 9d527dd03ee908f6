"""Mend a part that moved: from which frame, and from where to where, is it painted over the merge?"""

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.fusion import Style
from amber_ladder.core.practice import Figure, Verdict
from amber_ladder.errors import BadInput
from amber_ladder.work.practice.exercises._kinds import Answer, Asked, Drawn, Exercise, Question, frame_of, place_of
from amber_ladder.work.practice.exercises._merging import (
    HEIGHT,
    OPTICS,
    WIDTH,
    Float,
    Picture,
    magnified,
    merge_series,
)
from amber_ladder.work.practice.exercises._series import encoded, flaws_of

_SPECIMENS = ("capped-column",)
_ASIDE_UM = {1: 26.0, 2: 20.0, 3: 14.0}  # 13, 10 and 7 px
_RADIUS_PX, _SOFT_PX = 14.0, 5.0
_AROUND_PX = 3
_STYLE = Style("pyramid", 1.0)  # keeps what crosses: a part that moved is seen twice
_AS_GOOD = 0.95  # of the best: a hand does not point more exactly
_ENDS = (4.0, 96.0)  # percentiles along the part

Place = tuple[float, float]


class _Torn:
    """A merge over which its foremost part is seen twice, and what painting it over brings."""

    def __init__(self, drawn: Drawn) -> None:
        specimen = drawn.specimen or _SPECIMENS[drawn.seed % len(_SPECIMENS)]
        self.series = merge_series(specimen, drawn.seed, flaws_of(drawn), _ASIDE_UM[drawn.level], feeler=True)
        self.merge = self.series.merged([_STYLE])[0]
        self.last_still = sum(one <= self.series.part_um for one in self.series.positions_um)
        self._aligned = {
            number: _aligned(self.series.frames[number], matrix, gain)
            for number, matrix, gain in zip(
                self.merge.survey.used, self.merge.survey.matrices, self.merge.survey.gains, strict=True
            )
        }
        scene = self.series.stand.scene
        cover = self.series.stand.seen(scene.sheets[-1].cover, self.merge.matrix)
        aside_px = round(_ASIDE_UM[drawn.level] / OPTICS.pixel_um)
        both = np.maximum(cover, np.roll(cover, aside_px, axis=1)) > 0.5
        self.part = cv2.dilate(both.astype(np.uint8), np.ones((2 * _AROUND_PX + 1,) * 2, np.uint8)) > 0
        self.before = self._off(self.merge.picture)
        self.ends = _ends(cover > 0.5)
        self.gains = {number: self.gain(number, *self.ends) for number in self._aligned}
        self.best = max(self.gains, key=lambda number: self.gains[number])

    def painted(self, number: int, one: Place, other: Place) -> Picture:
        """The merge with the part laid over it from a frame, along the way from one place to the other (shares)."""
        covered = _stroke(one, other)[..., None]
        frame = self._aligned[number].astype(np.float32)
        return np.asarray(np.rint(self.merge.picture * (1 - covered) + frame * covered), np.uint8)

    def gain(self, number: int, one: Place, other: Place) -> float:
        """The share of what is wrong with the part that this mends; negative where it makes it worse."""
        return 1.0 - self._off(self.painted(number, one, other)) / max(self.before, 1e-6)

    def _off(self, picture: Picture) -> float:
        return min(float(off[self.part & self.merge.judged].mean()) for off in self._errors(picture))

    def _errors(self, picture: Picture) -> tuple[Float, Float]:
        """How far a picture is from the part as it lay before, and after it moved; 0 outside the judged area."""
        before, after = (
            np.abs(picture.astype(np.float32) - truth).mean(axis=2) * self.merge.judged
            for truth in (self.merge.truth, self.merge.aside)
        )
        return np.asarray(before, np.float32), np.asarray(after, np.float32)


def _aligned(frame: Picture, matrix: NDArray[np.float64], gain: float) -> Picture:
    moved = cv2.warpAffine(frame, matrix, (WIDTH, HEIGHT), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    return np.asarray(np.clip(np.rint(moved * gain ** (1 / 2.2)), 0, 255), np.uint8)


def _stroke(one: Place, other: Place) -> Float:
    """How much a soft brush covers along a line, (H, W) from 0 to 1."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    start, end = (np.array([place[0] * WIDTH, place[1] * HEIGHT]) for place in (one, other))
    way = end - start
    along = ((x - start[0]) * way[0] + (y - start[1]) * way[1]) / max(float(way @ way), 1e-6)
    share = np.clip(along, 0, 1)
    away = np.hypot(x - start[0] - share * way[0], y - start[1] - share * way[1])
    return np.asarray(np.clip((_RADIUS_PX + _SOFT_PX - away) / _SOFT_PX, 0, 1), np.float32)


def _ends(part: NDArray[np.bool_]) -> tuple[Place, Place]:
    """Both ends of a part along its greatest extent, as shares."""
    y, x = np.nonzero(part)
    points = np.column_stack([x, y]).astype(np.float64)
    middle = points.mean(axis=0)
    way = np.linalg.eigh(np.cov((points - middle).T))[1][:, -1]
    low, high = np.percentile((points - middle) @ way, _ENDS)
    one, other = (middle + at * way for at in (low, high))
    return (
        (float(np.clip(one[0] / WIDTH, 0, 1)), float(np.clip(one[1] / HEIGHT, 0, 1))),
        (float(np.clip(other[0] / WIDTH, 0, 1)), float(np.clip(other[1] / HEIGHT, 0, 1))),
    )


@lru_cache(maxsize=4)
def _torn(told: str) -> _Torn:
    return _Torn(Drawn.model_validate_json(told))


def _of(drawn: Drawn) -> _Torn:
    return _torn(drawn.model_dump_json())


def _ask(drawn: Drawn) -> Question:
    found = _of(drawn)
    return Question(
        "Something in front moved while this was shot, and the merge (the first picture) shows it twice. Find the "
        "frame in which it is sharpest, as it lay before or after, and point at both of its ends there: it is painted "
        "over the merge from that frame, from end to end.",
        [("Brush", f"{_RADIUS_PX:.0f} px"), ("Step", f"{found.series.step_um:.0f} µm")],
        [
            Asked("frame", "frame", "Painted from"),
            Asked("one", "place", "One end of the part"),
            Asked("other", "place", "The other end"),
        ],
        1 + len(found.series.frames),
    )  # fmt: skip


def _picture(drawn: Drawn, index: int) -> bytes:
    found = _of(drawn)
    return encoded(found.merge.picture) if index == 0 else found.series.jpegs[index - 1]


def solve(drawn: Drawn) -> Answer:
    """The frame that mends most, along the whole part."""
    found = _of(drawn)
    one, other = ([round(1000 * share) for share in place] for place in found.ends)
    return {"frame": found.best + 1, "one": one, "other": other}


def score(drawn: Drawn, frame: int, one: Place, other: Place) -> float:
    """How much of what could be mended is mended."""
    found = _of(drawn)
    best = found.gains[found.best]
    return min(max(found.gain(frame, one, other) / (_AS_GOOD * best), 0.0), 1.0) if best > 0 else 0.0


def _read(drawn: Drawn, answer: Answer) -> tuple[int, Place, Place]:
    found = _of(drawn)
    shown = frame_of(answer, "frame", 1 + len(found.series.frames))
    if shown == 0:
        raise BadInput("that is the merge: choose one of the frames after it", field="frame")
    if shown - 1 not in found.gains:
        raise BadInput("the merge left this frame out: choose another", field="frame")
    return shown - 1, place_of(answer, "one"), place_of(answer, "other")


def _judge(drawn: Drawn, answer: Answer) -> Verdict:
    frame, one, other = _read(drawn, answer)
    found = _of(drawn)
    mended = found.gain(frame, one, other)
    where = "before" if found.best < found.last_still else "after"
    why = [
        f"It moved after frame {found.last_still + 1}: the last one before and the first one after show it about as "
        "sharp, so the merge took it from both.",
        f"Frame {found.best + 2} mends most, with the part as it lay {where}. Frames focused deeper or nearer show it "
        "soft, and bring softness over what lies around it.",
    ]
    if mended < 0:
        why.append("What you painted lies farther from the truth than the merge did.")
    return Verdict(
        score(drawn, frame, one, other),
        (Figure("Mended, of what was wrong", "%", 100 * mended, None, 100 * found.gains[found.best]),),
        tuple(why),
    )


def _shown(drawn: Drawn, answer: Answer) -> bytes:
    """The part as merged, as you mended it, and as it is mended best."""
    frame, one, other = _read(drawn, answer)
    found = _of(drawn)
    y, x = (int(np.mean(axis)) for axis in np.nonzero(found.part))
    pictures = (
        found.merge.picture, found.painted(frame, one, other), found.painted(found.best, *found.ends)
    )  # fmt: skip
    parts = [magnified(one_picture, x, y, side_px=120, times=2) for one_picture in pictures]
    return encoded(np.asarray(np.hstack(parts), np.uint8))


PART = Exercise(
    "part", "Mend a part that moved", "mending", "From which frame, and from where to where, is it mended?", 3,
    _ask, _judge, _picture, _shown, solve, specimens=_SPECIMENS,
)  # fmt: skip
