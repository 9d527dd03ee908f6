"""Exercises: drawn anew from a seed, answered, and compared with the truth that the simulated world knows."""

from amber_ladder.work.practice.exercises._bad_frames import BAD_FRAMES
from amber_ladder.work.practice.exercises._day import DAY
from amber_ladder.work.practice.exercises._depth import DEPTH
from amber_ladder.work.practice.exercises._ends import ENDS
from amber_ladder.work.practice.exercises._kinds import LEVELS, Answer, Asked, Drawn, Exercise, Judgement, Question
from amber_ladder.work.practice.exercises._light import LIGHT
from amber_ladder.work.practice.exercises._merge_fault import MERGE_FAULT
from amber_ladder.work.practice.exercises._part import PART
from amber_ladder.work.practice.exercises._planning import SNOW, STEP
from amber_ladder.work.practice.exercises._way import WAY

EXERCISES: dict[str, Exercise] = {
    one.key: one for one in (STEP, SNOW, ENDS, LIGHT, BAD_FRAMES, MERGE_FAULT, WAY, PART, DEPTH, DAY)
}
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
