"""Find the ends: the first and the last frame worth keeping, of a series that goes on beyond the specimen."""

from math import ceil

import cv2
import numpy as np

from amber_ladder.core.focus import in_focus
from amber_ladder.core.practice import Figure, Verdict, closeness, overall
from amber_ladder.simulated.specimens import SPECIMENS
from amber_ladder.work.practice.exercises._kinds import Answer, Asked, Drawn, Exercise, Question, frame_of
from amber_ladder.work.practice.exercises._series import OPTICS, Series, decoded, encoded, flaws_of, series, specimen_of

_STEP = 0.7  # of the sharp depth
_SHARP = 0.002  # share of pixels in focus
_LEAST, _MOST = 0.5, 99.5  # percentiles of the depth: single specks do not count
_SPARE = (3, 8)  # frames beyond either end


def _series_of(drawn: Drawn) -> Series:
    draw = np.random.default_rng([drawn.seed, 1])
    step_um = _STEP * OPTICS.sharp_depth_um.total
    before, after = draw.integers(*_SPARE, size=2)
    count = ceil(SPECIMENS[specimen_of(drawn)].depth_um / step_um) + int(before + after)
    positions = tuple(round((number - int(before)) * step_um, 3) for number in range(count))
    return series(specimen_of(drawn), drawn.seed, flaws_of(drawn), positions)


def _ask(drawn: Drawn) -> Question:
    found = _series_of(drawn)
    step_um = found.positions_um[1] - found.positions_um[0]
    return Question(
        "This series was begun before the specimen and ended behind it. Which frames are worth keeping? Whatever is "
        "cut off is soft for good; whatever is left costs time.",
        [("Step", f"{step_um:.1f} µm"), ("Sharp depth of one frame", f"{OPTICS.sharp_depth_um.total:.1f} µm")],
        [Asked("first", "frame", "First frame to keep"), Asked("last", "frame", "Last frame to keep")],
        len(found.positions_um),
    )


def ends_um(drawn: Drawn) -> tuple[float, float]:
    """Where what is seen of the specimen begins and ends, µm."""
    near_um, far_um = (float(one) for one in np.percentile(_series_of(drawn).depth_um(), (_LEAST, _MOST)))
    return near_um, far_um


def solve(drawn: Drawn) -> Answer:
    """The frames that just hold both ends."""
    positions, (near_um, far_um), half_um = _series_of(drawn).positions_um, ends_um(drawn), _half_um()
    first = max((n for n, at in enumerate(positions) if at - half_um <= near_um), default=0)
    last = min((n for n, at in enumerate(positions) if at + half_um >= far_um), default=len(positions) - 1)
    return {"first": min(first, last - 1), "last": last}


def score(drawn: Drawn, first: int, last: int) -> tuple[float, float, int]:
    """The score of keeping these frames, the depth that is cut off (µm), and how many are kept for nothing."""
    positions, (near_um, far_um), half_um = _series_of(drawn).positions_um, ends_um(drawn), _half_um()
    cut_um = max(positions[first] - half_um - near_um, 0.0) + max(far_um - positions[last] - half_um, 0.0)
    best = solve(drawn)
    surplus = max(best["first"] - first, 0) + max(last - best["last"], 0)
    sharp_um = 2.0 * half_um
    told = overall([closeness(cut_um, fine=0.3 * sharp_um, poor=4.0 * sharp_um), closeness(surplus, fine=2, poor=14)])
    return (told if last > first else 0.0), cut_um, surplus


def _judge(drawn: Drawn, answer: Answer) -> Verdict:
    found, count = _series_of(drawn), len(_series_of(drawn).positions_um)
    first, last = frame_of(answer, "first", count), frame_of(answer, "last", count)
    told, cut_um, surplus = score(drawn, first, last)
    own_first, own_last = _programs(found)
    _, own_cut_um, own_surplus = score(drawn, own_first, own_last)
    why = [
        f"Something is sharp from frame {solve(drawn)['first'] + 1} to frame {solve(drawn)['last'] + 1}.",
        f"{cut_um:.0f} µm of it would have been cut off: that cannot be saved by any merge."
        if cut_um > 1.0
        else "Nothing of it was cut off.",
        f"{surplus} frames beyond it cost time, and nothing else." if surplus else "No frame was kept for nothing.",
    ]
    return Verdict(
        told,
        (
            Figure("Depth cut off", "µm", cut_um, own_cut_um, 0.0),
            Figure("Frames for nothing", "", float(surplus), float(own_surplus), 0.0),
        ),
        tuple(why),
    )


def _programs(found: Series) -> tuple[int, int]:
    shares = []
    for picture in found.pictures():
        grey = np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255)
        shares.append(float(in_focus(grey).edges.mean()))
    sharp = [number for number, share in enumerate(shares) if share > _SHARP] or [0, len(shares) - 1]
    return max(sharp[0] - 1, 0), min(sharp[-1] + 1, len(shares) - 1)


def _shown(drawn: Drawn, answer: Answer) -> bytes:
    """What was kept first, beside what would have been right."""
    found, best = _series_of(drawn), solve(drawn)
    count = len(found.positions_um)
    names = (frame_of(answer, "first", count), best["first"], frame_of(answer, "last", count), best["last"])
    four = [decoded(found.frame(one)) for one in names]
    return encoded(np.vstack([np.hstack(four[:2]), np.hstack(four[2:])]))


def _half_um() -> float:
    return 0.5 * OPTICS.sharp_depth_um.total


ENDS = Exercise(
    "ends", "Find the ends", "focus", "Where does focus begin and end, in a series that goes on beyond both?", 2,
    _ask, _judge, lambda drawn, index: _series_of(drawn).frame(index), _shown, solve,
)  # fmt: skip
