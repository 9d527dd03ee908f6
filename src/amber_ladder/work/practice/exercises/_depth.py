"""Measure a depth: where are two places sharpest, how far apart is that, and how sure is it?"""

from functools import lru_cache
from math import ceil

import cv2
import numpy as np

from amber_ladder.core.practice import Figure, Verdict, closeness, overall
from amber_ladder.simulated.specimens import SPECIMENS
from amber_ladder.work.practice.exercises._kinds import Answer, Asked, Drawn, Exercise, Question, frame_of, number
from amber_ladder.work.practice.exercises._series import OPTICS, Series, decoded, encoded, flaws_of, series, specimen_of

_STEP = {1: 0.7, 2: 0.9, 3: 1.1}  # of the sharp depth
_WINDOW_PX = 24
_TRIES = 4000
_LEAST_APART = 4.0  # steps


def _series_of(drawn: Drawn) -> Series:
    step_um = _STEP[drawn.level] * OPTICS.sharp_depth_um.total
    count = ceil(SPECIMENS[specimen_of(drawn)].depth_um / step_um) + 3
    return series(
        specimen_of(drawn), drawn.seed, flaws_of(drawn), tuple(round((n - 1) * step_um, 3) for n in range(count))
    )


@lru_cache(maxsize=32)
def _places(told: str) -> tuple[tuple[int, int], tuple[int, int], float, float]:
    """Two places (x, y in px) on even ground and with detail, and their depths, µm."""
    drawn = Drawn.model_validate_json(told)
    found = _series_of(drawn)
    depth = found.depth_um()
    sharp = found.stand.sharp_picture(found.stand.truths[0].matrix)
    grey = np.asarray(cv2.cvtColor(sharp, cv2.COLOR_RGB2GRAY), np.float32)
    mean = cv2.blur(depth, (_WINDOW_PX, _WINDOW_PX))
    spread = np.sqrt(np.maximum(cv2.blur(depth * depth, (_WINDOW_PX, _WINDOW_PX)) - mean * mean, 0.0))
    detail = cv2.blur(np.abs(cv2.Laplacian(grey, cv2.CV_32F)), (_WINDOW_PX, _WINDOW_PX))
    step_um = found.positions_um[1] - found.positions_um[0]
    draw = np.random.default_rng([drawn.seed, 4])
    edge = 2 * _WINDOW_PX
    height, width = depth.shape
    points = np.stack([draw.integers(edge, width - edge, _TRIES), draw.integers(edge, height - edge, _TRIES)], axis=1)
    at = (points[:, 1], points[:, 0])
    good = points[(spread[at] < 0.4 * step_um) & (detail[at] > np.percentile(detail, 60))]
    if len(good) < 2:
        good = points[np.argsort(spread[at] - 0.01 * detail[at])[:60]]
    first = good[0]
    apart = np.abs(depth[good[:, 1], good[:, 0]] - depth[first[1], first[0]])
    far = good[apart > _LEAST_APART * step_um]
    second = far[0] if len(far) else good[int(np.argmax(apart))]
    one, two = ((int(x), int(y)) for x, y in (first, second))
    return one, two, float(mean[one[1], one[0]]), float(mean[two[1], two[0]])


def _ask(drawn: Drawn) -> Question:
    found = _series_of(drawn)
    one, two, _, _ = _places(drawn.model_dump_json())
    step_um = found.positions_um[1] - found.positions_um[0]
    return Question(
        "How much deeper or nearer does the second mark lie than the first? Find the frame in which each is sharpest: "
        "the depth is the distance of the two. Say how far off it may be, so that 19 of 20 such answers hold.",
        [("Step", f"{step_um:.1f} µm"), ("Sharp depth of one frame", f"{OPTICS.sharp_depth_um.total:.1f} µm")],
        [
            Asked("one", "frame", "First mark is sharpest in"),
            Asked("two", "frame", "Second mark is sharpest in"),
            Asked("u_um", "number", "The depth is certain to ±", "µm"),
        ],
        len(found.positions_um),
        [(x / RIG_WIDTH, y / RIG_HEIGHT) for x, y in (one, two)],
    )


RIG_WIDTH, RIG_HEIGHT = 480, 320


def depth_um(drawn: Drawn) -> float:
    """How far apart they are in truth, µm."""
    _, _, first, second = _places(drawn.model_dump_json())
    return abs(second - first)


def _nearest(drawn: Drawn, at_um: float) -> int:
    positions = _series_of(drawn).positions_um
    return min(range(len(positions)), key=lambda n: abs(positions[n] - at_um))


def solve(drawn: Drawn) -> Answer:
    """The frames nearest to both, and two times what reading to whole frames leaves open."""
    _, _, first, second = _places(drawn.model_dump_json())
    one, two = _nearest(drawn, first), _nearest(drawn, second)
    return {"one": one, "two": two, "u_um": round(max(1.0, 1.2 * _error(drawn, one, two), _step_um(drawn)), 1)}


def score(drawn: Drawn, one: int, two: int, u_um: float) -> float:
    """How near the depth is, and whether the uncertainty holds without being larger than it needs to be."""
    off_um, step_um = _error(drawn, one, two), _step_um(drawn)
    near = closeness(off_um, fine=step_um, poor=6.0 * step_um)
    holds = 1.0 if off_um <= u_um else 0.4
    return overall([near, holds, closeness(u_um, fine=1.6 * step_um, poor=12.0 * step_um)])


def _error(drawn: Drawn, one: int, two: int) -> float:
    positions = _series_of(drawn).positions_um
    return abs(abs(positions[two] - positions[one]) - depth_um(drawn))


def _step_um(drawn: Drawn) -> float:
    positions = _series_of(drawn).positions_um
    return positions[1] - positions[0]


def _judge(drawn: Drawn, answer: Answer) -> Verdict:
    found, count = _series_of(drawn), len(_series_of(drawn).positions_um)
    one, two, u_um = frame_of(answer, "one", count), frame_of(answer, "two", count), number(answer, "u_um")
    read_um = abs(found.positions_um[two] - found.positions_um[one])
    off_um, own_um = _error(drawn, one, two), _programs(drawn)
    step_um = _step_um(drawn)
    why = [
        f"It is {depth_um(drawn):.0f} µm; you read {read_um:.0f} µm, {off_um:.0f} µm off.",
        "The uncertainty that you gave holds it."
        if off_um <= u_um
        else "The uncertainty that you gave is too small for that.",
        f"Reading to whole frames leaves ± {2 * step_um / 6**0.5:.0f} µm open (two readings, each to half a step of "
        f"{step_um:.0f} µm, at 95 %).",
    ]
    return Verdict(
        score(drawn, one, two, u_um),
        (
            Figure("Depth", "µm", read_um, own_um, depth_um(drawn)),
            Figure("Given uncertainty", "µm", u_um, step_um, None),
        ),
        tuple(why),
    )


def _programs(drawn: Drawn) -> float:
    """The peak of detail at both places, between the frames (a parabola through three)."""
    found = _series_of(drawn)
    places = _places(drawn.model_dump_json())[:2]
    detail = np.zeros((len(found.positions_um), 2))
    for number_, picture in enumerate(found.pictures()):
        grey = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.float32)
        bend = cv2.Laplacian(cv2.GaussianBlur(grey, (0, 0), 1.0), cv2.CV_32F) ** 2
        for which, (x, y) in enumerate(places):
            half = _WINDOW_PX // 2
            detail[number_, which] = bend[y - half : y + half, x - half : x + half].mean()
    peaks = [_peak(detail[:, which]) for which in range(2)]
    return abs(peaks[1] - peaks[0]) * _step_um(drawn)


def _peak(values: np.ndarray) -> float:
    at = int(np.argmax(values))
    if not 0 < at < len(values) - 1:
        return float(at)
    before, here, after = np.log(np.maximum(values[at - 1 : at + 2], 1e-9))
    return at + float(0.5 * (before - after) / min(before - 2 * here + after, -1e-9))


def _shown(drawn: Drawn, answer: Answer) -> bytes:
    """Both marks in the frames that were chosen, and below in those nearest to the truth, four times as large."""
    found, best = _series_of(drawn), solve(drawn)
    count = len(found.positions_um)
    rows = []
    for chosen in ((frame_of(answer, "one", count), frame_of(answer, "two", count)), (best["one"], best["two"])):
        cuts = []
        for (x, y), index in zip(_places(drawn.model_dump_json())[:2], chosen, strict=True):
            cut = decoded(found.frame(index))[y - 40 : y + 40, x - 40 : x + 40]
            cuts.append(cv2.resize(cut, None, fx=4, fy=4, interpolation=cv2.INTER_NEAREST))
        rows.append(np.hstack(cuts))
    return encoded(np.asarray(np.vstack(rows), np.uint8))


DEPTH = Exercise(
    "depth", "Measure a depth", "measuring", "How far apart are two places, and how sure is that?", 3,
    _ask, _judge, lambda drawn, index: _series_of(drawn).frame(index), _shown, solve,
)  # fmt: skip
