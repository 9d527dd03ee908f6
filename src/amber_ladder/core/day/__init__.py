"""The day: what is shot when. Its best order is found in ``order``, whose solver takes a second to be loaded."""

from amber_ladder.core.day._learnt import Learnt, Run, learnt_from
from amber_ladder.core.day._times import Hours, Sitting, Timed, Times, cost_s, times_of

__all__ = ["Hours", "Learnt", "Run", "Sitting", "Timed", "Times", "cost_s", "learnt_from", "times_of"]
