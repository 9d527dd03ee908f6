"""Exercises: drawn anew from a seed, answered, and compared with the truth that the simulated world knows."""

from amber_ladder.work.practice.exercises._bad_frames import BAD_FRAMES
from amber_ladder.work.practice.exercises._day import DAY
from amber_ladder.work.practice.exercises._depth import DEPTH
from amber_ladder.work.practice.exercises._ends import ENDS
from amber_ladder.work.practice.exercises._kinds import LEVELS, Answer, Asked, Drawn, Exercise, Judgement, Question
from amber_ladder.work.practice.exercises._light import LIGHT
from amber_ladder.work.practice.exercises._planning import SNOW, STEP

EXERCISES: dict[str, Exercise] = {one.key: one for one in (STEP, SNOW, ENDS, LIGHT, BAD_FRAMES, DEPTH, DAY)}
"""By their keys, in the order of the job."""

__all__ = [
    "EXERCISES",
    "LEVELS",
    "Answer",
    "Asked",
    "Drawn",
    "Exercise",
    "Judgement",
    "Question",
]
