"""One frame of a take, as far as it is known."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Shot:
    """What was really shot. Whatever nobody knows is None, never a plausible number.

    ``rung`` counts the take's ladder from 0. ``planned_um`` is where the rung was to lie, ``reported_um`` where the
    rail said it rested (stage readings, rising from near to far). ``faults`` are kinds; ``left_out`` is the reason why
    it takes no part, None for one that does.
    """

    name: str
    width_px: int
    height_px: int
    bits: int
    rung: int | None = None
    planned_um: float | None = None
    reported_um: float | None = None
    faults: tuple[str, ...] = ()
    left_out: str | None = None

    @property
    def position_um(self) -> float | None:
        """Where it lies as far as anybody knows: what was reported goes before what was planned."""
        return self.planned_um if self.reported_um is None else self.reported_um

    @property
    def stray_um(self) -> float | None:
        """How far it lies from where it was planned; None where that is not known."""
        if self.reported_um is None or self.planned_um is None:
            return None
        return abs(self.reported_um - self.planned_um)
