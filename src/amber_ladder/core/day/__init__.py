"""The day: what is shot when. Its best order is found in ``order``, whose solver takes a second to be loaded."""

from amber_ladder.core.day._times import Hours, Sitting, Timed, Times, cost_s, times_of

__all__ = ["Hours", "Sitting", "Timed", "Times", "cost_s", "times_of"]
