"""A knob that is turned by hand, with a scale engraved on its drum: what it reads at each rung, and back."""

from dataclasses import dataclass
from math import floor, hypot, sqrt
from typing import Literal

_ROUNDING = 1e-6  # of a division; keeps 99.9999999 from being read as one turn less and a drum that is full


@dataclass(frozen=True, slots=True)
class Knob:
    """A fine focus, or a lens's ring. Its drum holds ``divisions_per_turn`` and reads ``near_reading`` at ``near_um``.

    ``finest`` is the smallest part of a division that a hand can set. ``farther`` says which way the figures run as
    focus goes deeper. ``u_um_per_division`` is None for a scale that is merely engraved: nobody measured it.
    """

    um_per_division: float
    divisions_per_turn: float
    near_um: float
    near_reading: float
    finest: float = 0.5
    farther: Literal["rising", "falling"] = "rising"
    u_um_per_division: float | None = None


@dataclass(frozen=True, slots=True)
class Reading:
    """What the drum shows, in divisions from 0 up to a turn, and how many whole turns lie behind it."""

    turn: int
    division: float


def reading_at(knob: Knob, position_um: float) -> Reading:
    """What the knob reads with the stage at a position (µm); turns count from the one that holds the nearest point."""
    raw = knob.near_reading + _way(knob) * (position_um - knob.near_um) / knob.um_per_division
    turn = floor(raw / knob.divisions_per_turn + _ROUNDING / knob.divisions_per_turn)
    return Reading(turn, max(raw - turn * knob.divisions_per_turn, 0.0))


def position_at(knob: Knob, division: float, *, beside_um: float) -> float:
    """Where the stage stands (µm) when the drum shows this, of all turns the one nearest to ``beside_um``."""
    off = division - reading_at(knob, beside_um).division
    off -= knob.divisions_per_turn * round(off / knob.divisions_per_turn)
    return beside_um + _way(knob) * off * knob.um_per_division


def u_position_um(knob: Knob, travel_um: float) -> float | None:
    """Standard uncertainty of a move by the knob: of its scale, and of setting it at both ends.

    A setting is off by as much as half of what can be set, evenly spread (GUM 4.3.7). None where the scale was not
    measured.
    """
    if knob.u_um_per_division is None:
        return None
    setting_um = knob.finest * knob.um_per_division / sqrt(12.0)
    return hypot(travel_um * knob.u_um_per_division / knob.um_per_division, sqrt(2.0) * setting_um)


def _way(knob: Knob) -> float:
    return 1.0 if knob.farther == "rising" else -1.0
