"""Choose way and window: which way to merge brings this take nearest to the truth?"""

from functools import lru_cache
from statistics import median

import cv2
import numpy as np

from amber_ladder.core.fusion import Style
from amber_ladder.core.practice import Figure, Verdict
from amber_ladder.work.practice.exercises._kinds import Answer, Asked, Drawn, Exercise, Question, choice_of
from amber_ladder.work.practice.exercises._merging import MadeMerge, MergeSeries, magnified, merge_series
from amber_ladder.work.practice.exercises._series import encoded, specimen_of

_WAYS = {
    "Contrast blend": Style("blend"),
    "Depth pick": Style("select"),
    "Pyramid, window 1 px": Style("pyramid", 1.0),
    "Pyramid, window 8 px": Style("pyramid", 8.0),
    "Pyramid, window 2 px, calm": Style("pyramid", 2.0, calm=1.0),
}
_FLAWS: dict[int, tuple[tuple[str, ...], ...]] = {
    1: ((), ("noise",)),
    2: (("noise",), ("drift",)),
    3: (("noise", "drift"), ("noise", "flicker")),
}
_SHOWN = 3  # frames of the take, where the merges are not shown
_WHY = {
    "Contrast blend": "A contrast blend averages: least noise, but soft where surfaces overlap.",
    "Depth pick": "A depth pick takes each place from one frame: true tones, and sharp wherever one surface is seen.",
    "Pyramid, window 1 px": "A pyramid with a small window keeps crossing hairs and overlaps; it keeps noise as well.",
    "Pyramid, window 8 px": "A large window calms noise, and softens what is finer than itself.",
    "Pyramid, window 2 px, calm": "A calm pyramid gives flat parts the mean of several frames: it pays where noise is "
    "worse than the softness that this brings.",
}


class _Ways:
    """The merges of a take, one for each way, and the program's own."""

    def __init__(self, drawn: Drawn) -> None:
        draw = np.random.default_rng([drawn.seed, 8])
        choices = _FLAWS[drawn.level]
        flaws = tuple(drawn.flaws) or choices[int(draw.integers(len(choices)))]
        self.series: MergeSeries = merge_series(specimen_of(drawn), drawn.seed, flaws)
        self.flaws = flaws
        merges = self.series.merged([*_WAYS.values(), Style("auto")])
        self.merges: dict[str, MadeMerge] = dict(zip(_WAYS, merges, strict=False))
        self.db = {way: made.likeness_db() for way, made in self.merges.items()}
        self.auto_db = merges[-1].likeness_db()
        self.best = max(self.db, key=lambda way: self.db[way])


@lru_cache(maxsize=4)
def _ways(told: str) -> _Ways:
    return _Ways(Drawn.model_validate_json(told))


def _of(drawn: Drawn) -> _Ways:
    return _ways(drawn.model_dump_json())


def _ask(drawn: Drawn) -> Question:
    found = _of(drawn)
    all_shown = drawn.level == 1
    words = (
        "The same take was merged in five ways: they are shown in the order of the list. Compare them at 1:1: which is "
        "nearest to what is there?"
        if all_shown
        else "Three frames of a take are shown. Which way to merge it will come nearest to what is there? Think of "
        "what overlaps, and of noise."
    )
    return Question(
        words,
        [
            ("Frames", str(len(found.series.frames))),
            ("Step", f"{found.series.step_um:.0f} µm"),
            ("Faults", ", ".join(found.flaws) or "none"),
        ],
        [Asked("way", "choice", "Way and window", options=list(_WAYS))],
        len(_WAYS) if all_shown else _SHOWN,
    )


def _picture(drawn: Drawn, index: int) -> bytes:
    found = _of(drawn)
    if drawn.level == 1:
        return encoded(list(found.merges.values())[index].picture)
    last = len(found.series.frames) - 1
    return found.series.jpegs[round(last * (index + 1) / (_SHOWN + 1))]


def solve(drawn: Drawn) -> Answer:
    """The way that comes nearest."""
    return {"way": _of(drawn).best}


def score(drawn: Drawn, way: str) -> float:
    """1 for the best way, 0 for one that is no better than the middle of them."""
    found = _of(drawn)
    middle = median(found.db.values())
    above = (found.db[way] - middle) / max(found.db[found.best] - middle, 1e-6)
    return max(above, 0.0) ** 2


def _judge(drawn: Drawn, answer: Answer) -> Verdict:
    way, found = list(_WAYS)[choice_of(answer, "way", list(_WAYS))], _of(drawn)
    why = [f"Best here: {found.best}, {found.db[found.best]:.1f} dB. {_WHY[found.best]}"]
    if way != found.best:
        why.append(f"Yours comes to {found.db[way]:.1f} dB. {_WHY[way]}")
    why.append("The program's own, automatic, tries the ways at each place and mixes them.")
    return Verdict(
        score(drawn, way),
        (Figure("Likeness to the truth", "dB", found.db[way], found.auto_db, found.db[found.best]),),
        tuple(why),
    )


def _shown(drawn: Drawn, answer: Answer) -> bytes:
    """Where your way loses most against the best: yours, the best, and what is there."""
    found = _of(drawn)
    way = list(_WAYS)[choice_of(answer, "way", list(_WAYS))]
    yours, best = found.merges[way], found.merges[found.best]
    other = min(found.db, key=lambda one: found.db[one])
    worse = (yours if way != found.best else found.merges[other]).error() - best.error()
    y, x = np.unravel_index(int(_blurred(worse).argmax()), worse.shape)
    parts = [magnified(one, int(x), int(y), times=3) for one in (yours.picture, best.picture, best.truth)]
    return encoded(np.asarray(np.hstack(parts), np.uint8))


def _blurred(error: np.ndarray) -> np.ndarray:
    return np.asarray(cv2.GaussianBlur(error, (0, 0), 6.0))


WAY = Exercise(
    "way", "Choose way and window", "merging", "Which way to merge suits this take?", 2,
    _ask, _judge, _picture, _shown, solve,
)  # fmt: skip
