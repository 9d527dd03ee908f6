"""Tell bad frames in a take: dark ones, shaken ones, and those for which the focus did not move."""

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import FrameJudge
from amber_ladder.core.practice import Figure, Verdict, marked
from amber_ladder.core.sorting import Shot
from amber_ladder.simulated.specimens import SPECIMENS
from amber_ladder.work.practice.exercises._kinds import Answer, Asked, Drawn, Exercise, Question, several
from amber_ladder.work.practice.exercises._series import OPTICS, decoded, encoded, flaws_of, series, specimen_of
from amber_ladder.work.shoot.picture_watch import PictureWatch

_COUNT = 18
_STOPS = {1: 1.5, 2: 1.0, 3: 0.7}
_SMEAR_PX = {1: 15, 2: 11, 3: 7}
_GAMMA = 2.2
_WORDS = {"dark": "is darker than the others", "shaken": "is shaken", "same": "shows the same as the one before"}


def faults_of(drawn: Drawn) -> dict[int, str]:
    """Which frames are bad, and how: three to five of them, no two side by side."""
    draw = np.random.default_rng([drawn.seed, 2])
    places = sorted(int(one) for one in draw.permutation(np.arange(2, _COUNT - 2, 2))[: int(draw.integers(3, 6))])
    kinds = [*_WORDS, *draw.choice(list(_WORDS), 2)]
    return {place: str(kinds[number]) for number, place in enumerate(places)}


@lru_cache(maxsize=4)
def _frames(told: str) -> tuple[bytes, ...]:
    drawn = Drawn.model_validate_json(told)
    faults, draw = faults_of(drawn), np.random.default_rng([drawn.seed, 3])
    depth_um = SPECIMENS[specimen_of(drawn)].depth_um
    # From where the specimen begins: where nothing is sharp nobody can tell what is shaken.
    step_um = min(0.6 * OPTICS.sharp_depth_um.total, depth_um / _COUNT)
    positions, at_um = [], 0.1 * depth_um
    for number in range(_COUNT):
        at_um += 0.0 if faults.get(number) == "same" else step_um
        positions.append(round(at_um, 3))
    found = series(specimen_of(drawn), drawn.seed, flaws_of(drawn), tuple(positions))
    frames = []
    for number in range(_COUNT):
        content = found.frame(number)
        if faults.get(number) == "dark":
            content = encoded(_darker(decoded(content), _STOPS[drawn.level]))
        if faults.get(number) == "shaken":
            content = encoded(_smeared(decoded(content), _SMEAR_PX[drawn.level], float(draw.uniform(0.0, np.pi))))
        frames.append(content)
    return tuple(frames)


def _darker(picture: NDArray[np.uint8], stops: float) -> NDArray[np.uint8]:
    return np.asarray(np.clip(picture * 2.0 ** (-stops / _GAMMA), 0, 255), np.uint8)


def _smeared(picture: NDArray[np.uint8], length_px: int, angle: float) -> NDArray[np.uint8]:
    kernel = np.zeros((length_px, length_px), np.float32)
    middle, way = length_px // 2, np.array([np.cos(angle), np.sin(angle)])
    start, end = (np.rint(middle + sign * middle * way).astype(int) for sign in (-1, 1))
    cv2.line(kernel, tuple(map(int, start)), tuple(map(int, end)), 1.0)
    return np.asarray(cv2.filter2D(picture, -1, kernel / kernel.sum()), np.uint8)


def _ask(drawn: Drawn) -> Question:
    return Question(
        "Some of these frames would spoil the merge: too dark, shaken, or shot without moving the focus. Mark them, "
        "and no others: what is left out by mistake leaves a gap.",
        [("Frames", str(_COUNT))], [Asked("bad", "frames", "Frames to leave out")], _COUNT,
    )  # fmt: skip


def solve(drawn: Drawn) -> Answer:
    """Those that are bad."""
    return {"bad": sorted(faults_of(drawn))}


def score(drawn: Drawn, bad: list[int]) -> float:
    """How well they were told."""
    return marked(bad, faults_of(drawn), _COUNT)


def _judge(drawn: Drawn, answer: Answer) -> Verdict:
    bad, true = several(answer, "bad", _COUNT), faults_of(drawn)
    own = _programs(drawn)
    missed = sorted(set(true) - set(bad))
    wrong = sorted(set(bad) - set(true))
    why = [f"Frame {place + 1} {_WORDS[kind]}." for place, kind in true.items()]
    if wrong:
        why.append(f"Nothing is wrong with {', '.join(str(one + 1) for one in wrong)}.")
    return Verdict(
        score(drawn, bad),
        (
            Figure("Bad frames missed", "", float(len(missed)), float(len(set(true) - own)), 0.0),
            Figure("Good frames left out", "", float(len(wrong)), float(len(own - set(true))), 0.0),
        ),
        tuple(why),
    )


def _programs(drawn: Drawn) -> set[int]:
    judge, watch, found = FrameJudge(), PictureWatch(), set[int]()
    for number, content in enumerate(_frames(drawn.model_dump_json())):
        picture = decoded(content)
        faults = judge.judge(picture)
        judge.accept(fit=not faults)
        watch.add(picture, Shot(f"{number}", picture.shape[1], picture.shape[0], 8))
        if faults:
            found.add(number)
    return found | watch.same


def _shown(drawn: Drawn, answer: Answer) -> bytes:
    """A bad frame that was missed, or else one that was found, beside the good one before it."""
    bad, true = several(answer, "bad", _COUNT), faults_of(drawn)
    place = next((one for one in sorted(true) if one not in bad), min(true))
    frames = _frames(drawn.model_dump_json())
    return encoded(np.hstack([decoded(frames[place - 1]), decoded(frames[place])]))


BAD_FRAMES = Exercise(
    "bad-frames", "Tell bad frames", "sorting", "Which frames of a take must not take part in the merge?", 3,
    _ask, _judge, lambda drawn, index: _frames(drawn.model_dump_json())[index], _shown, solve,
)  # fmt: skip
