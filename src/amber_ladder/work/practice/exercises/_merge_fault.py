"""What went wrong in a merge: which fault it is, and where it shows, at 1:1."""

from functools import lru_cache

import cv2
import numpy as np

from amber_ladder.core.fusion import Style
from amber_ladder.core.practice import Figure, Verdict, overall
from amber_ladder.work.practice.exercises._kinds import Answer, Asked, Drawn, Exercise, Question, choice_of, place_of
from amber_ladder.work.practice.exercises._merging import (
    HEIGHT,
    WIDTH,
    Float,
    MadeMerge,
    MergeSeries,
    magnified,
    merge_series,
)
from amber_ladder.work.practice.exercises._series import encoded, flaws_of

_WORDS = {
    "gap": "Frames are missing in between",
    "end": "It ended before the far end",
    "moved": "A part moved while it was shot",
}
_WHY = {
    "gap": "{missing} frames are missing between {before} and {after}: what lies at their depth is soft all around, "
    "while what lies nearer and farther is sharp.",
    "end": "The last {missing} frames are missing: all that lies deepest is soft, and nothing beyond it is sharp.",
    "moved": "The foremost part moved by {aside:.0f} µm after frame {after}: it is seen twice, or its edge is torn.",
}
# Deep enough that what is missing shows.
_SPECIMENS = (
    "fern-sporangia", "fluorite", "jewel-wasp", "lacewing-eyes", "resin-gnat", "springtail", "sundew", "wulfenite",
)  # fmt: skip
_MISSING = {1: 6, 2: 5, 3: 4}
_END_SHARE = {1: 0.4, 2: 0.3, 3: 0.25}
_ASIDE_UM = {1: 14.0, 2: 11.0, 3: 8.0}
_SHOWS = 8.0  # levels of 255, over a few pixels: less than that nobody finds
_CALM_PX, _NEAR_PX = 4.0, 8
_FULL = 0.5  # of the greatest difference: to point there is as good as to point at its very middle
_WRONG_FAULT = 0.3
_STYLE = Style("auto")


class _Spoilt:
    """A merge with a fault that shows, the same without it, and how much worse each place became."""

    def __init__(self, drawn: Drawn) -> None:
        specimen, flaws = drawn.specimen or _SPECIMENS[drawn.seed % len(_SPECIMENS)], flaws_of(drawn)
        whole = merge_series(specimen, drawn.seed, flaws)
        self.right = whole.merged([_STYLE])[0]
        order = [str(one) for one in np.random.default_rng([drawn.seed, 7]).permutation(list(_WORDS))]
        best: tuple[float, str, MadeMerge, Float, dict[str, float]] | None = None
        for fault in order:
            merge, told = _with_fault(fault, drawn, whole, specimen, flaws)
            worse = _worse(merge, self.right)
            if best is None or worse.max() > best[0]:
                best = float(worse.max()), fault, merge, worse, told
            if worse.max() >= _SHOWS:
                best = float(worse.max()), fault, merge, worse, told
                break
        assert best is not None
        self.most, self.fault, self.merge, self.worse, self.told = best
        y, x = np.unravel_index(int(self.worse.argmax()), self.worse.shape)
        self.at_px = int(x), int(y)

    def at(self, x: float, y: float) -> float:
        """How much worse it became at a place (shares), or just beside it."""
        return float(self.worse[min(int(y * HEIGHT), HEIGHT - 1), min(int(x * WIDTH), WIDTH - 1)])


def _with_fault(
    fault: str, drawn: Drawn, whole: MergeSeries, specimen: str, flaws: tuple[str, ...]
) -> tuple[MadeMerge, dict[str, float]]:
    count = len(whole.frames)
    if fault == "moved":
        aside = _ASIDE_UM[drawn.level]
        moved = merge_series(specimen, drawn.seed, flaws, aside)
        last = sum(one <= moved.part_um for one in moved.positions_um)
        return moved.merged([_STYLE])[0], {"aside": aside, "after": last}
    if fault == "end":
        missing = max(round(_END_SHARE[drawn.level] * count), 2)
        return whole.merged([_STYLE], range(count - missing))[0], {"missing": missing}
    missing = min(_MISSING[drawn.level], count - 4)
    first = max((count - missing) // 2, 1)
    kept = [number for number in range(count) if not first <= number < first + missing]
    told: dict[str, float] = {"missing": missing, "before": first, "after": first + missing + 1}
    return whole.merged([_STYLE], kept)[0], told


def _worse(merge: MadeMerge, right: MadeMerge) -> Float:
    """By how much it lies farther from its truth than the right one from its own, around each place."""
    lost = [cv2.GaussianBlur(one.error(), (0, 0), _CALM_PX) for one in (merge, right)]
    around = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _NEAR_PX + 1,) * 2)
    worse = np.where(merge.judged & right.judged, lost[0] - lost[1], 0)
    return np.asarray(cv2.dilate(worse.astype(np.float32), around), np.float32)


@lru_cache(maxsize=4)
def _spoilt(told: str) -> _Spoilt:
    return _Spoilt(Drawn.model_validate_json(told))


def _of(drawn: Drawn) -> _Spoilt:
    return _spoilt(drawn.model_dump_json())


def _ask(drawn: Drawn) -> Question:
    return Question(
        "One thing went wrong with the take that this was merged from. Look at it at 1:1, say what it was, and point "
        "at where it shows most.",
        [("Frames merged", str(len(_of(drawn).merge.survey.used)))],
        [
            Asked("fault", "choice", "What went wrong", options=list(_WORDS.values())),
            Asked("place", "place", "Where it shows"),
        ],
        1,
    )  # fmt: skip


def solve(drawn: Drawn) -> Answer:
    """The fault, and the middle of what it spoilt."""
    found = _of(drawn)
    # The middle of the pixel: its border may fall to the one beside it.
    x, y = found.at_px
    return {
        "fault": _WORDS[found.fault],
        "place": [round(1000 * (x + 0.5) / WIDTH), round(1000 * (y + 0.5) / HEIGHT)],
    }


def score(drawn: Drawn, fault: str, x: float, y: float) -> float:
    """Whether it is this fault, and how much of it shows where it was pointed at."""
    found = _of(drawn)
    right = 1.0 if fault == _WORDS[found.fault] else _WRONG_FAULT
    return overall([right, max(found.at(x, y), 0.0) / max(_FULL * found.most, 1e-6)])


def _judge(drawn: Drawn, answer: Answer) -> Verdict:
    fault = list(_WORDS.values())[choice_of(answer, "fault", list(_WORDS.values()))]
    (x, y), found = place_of(answer, "place"), _of(drawn)
    why = [_WHY[found.fault].format(**found.told)]
    if fault != _WORDS[found.fault]:
        why.append(f"It was not: {fault.lower()}.")
    here = found.at(x, y)
    told = any(one.kind == found.fault for one in found.merge.told)
    why.append(f"The program's own look at the merge {'says so too' if told else 'says nothing of it'}.")
    why.append(
        "Where you pointed it shows well."
        if here >= 0.7 * _FULL * found.most
        else "Where you pointed little of it shows: compare both pictures at the marked place."
    )
    return Verdict(
        score(drawn, fault, x, y),
        (Figure("Spoilt by, where pointed", "levels of 255", here, None, found.most),),
        tuple(why),
    )


def _shown(drawn: Drawn, answer: Answer) -> bytes:
    """Where it shows most: as merged, and as it would have been."""
    found = _of(drawn)
    pair = [magnified(one.picture, *found.at_px) for one in (found.merge, found.right)]
    return encoded(np.asarray(np.hstack(pair), np.uint8))


MERGE_FAULT = Exercise(
    "merge-fault", "What went wrong in a merge", "merging", "Which fault spoilt it, and where does it show?", 2,
    _ask, _judge, lambda drawn, _: encoded(_of(drawn).merge.picture), _shown, solve,
)  # fmt: skip
