"""Stand-ins for what moves focus where no rail does: a hand on a knob, and a body that brackets by itself."""

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True, slots=True)
class HandHabits:
    """How a hand turns a knob. ``unsteady`` is the spread of a setting, in finest parts; the others are chances a rung:

    to turn one step too many, which it does not notice, and not to turn at all.
    """

    unsteady: float = 0.3
    passes_over: float = 0.0
    forgets: float = 0.0


class SimulatedHand:
    """A hand that is called from rung to rung. ``off_um`` is how far off it is by its own unnoticed mistakes."""

    def __init__(self, habits: HandHabits, *, finest_um: float, step_um: float, seed: int) -> None:
        self._habits, self._finest_um, self._step_um = habits, finest_um, step_um
        self._random = np.random.default_rng([seed, 79])
        self._before_um: float | None = None
        self.off_um = 0.0

    def turn_to(self, position_um: float) -> float:
        """Turn to where the knob is called to (µm), by its own lights; returns where focus really is."""
        chance = self._random.random()
        if self._before_um is not None:
            if chance < self._habits.passes_over:
                self.off_um += self._step_um
            elif chance > 1.0 - self._habits.forgets:
                self.off_um -= position_um - self._before_um
        self._before_um = position_um
        return position_um + self.off_um + float(self._random.normal(0.0, self._habits.unsteady * self._finest_um))


@dataclass(frozen=True, slots=True)
class BodyHabits:
    """How a body brackets: ``ends_after`` is the share of the frames after which it stops, ``more`` how many it shoots

    beyond those that were asked for, ``loses`` the frame (counted from 0) whose file never arrives.
    """

    ends_after: float = 1.0
    more: int = 0
    loses: int | None = None


def shot_by_body(habits: BodyHabits, positions_um: tuple[float, ...]) -> list[tuple[int, float]]:
    """What a body shoots of a series: the number in each file's name, and where focus is (µm)."""
    count = round(len(positions_um) * min(habits.ends_after, 1.0)) + habits.more
    step_um = positions_um[1] - positions_um[0] if len(positions_um) > 1 else 0.0
    return [(n, positions_um[0] + n * step_um) for n in range(count) if n != habits.loses]
