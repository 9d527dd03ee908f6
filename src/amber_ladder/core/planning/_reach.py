"""Where a rail may go: within its travel, and not so far that the front of the lens meets the specimen."""

from dataclasses import dataclass

from amber_ladder.errors import OutOfReach

_LEAST_FREE = 0.05  # of the working distance that must stay free
_LEAST_FREE_UM = 300.0


@dataclass(frozen=True, slots=True)
class Reach:
    """Positions in µm. ``nearest_um`` is where the specimen's nearest point is in focus.

    With a working distance known, the front of the lens is at that distance from the plane of focus; focusing deeper
    than the nearest point by as much would touch it.
    """

    min_um: float | None = None
    max_um: float | None = None
    nearest_um: float | None = None
    working_distance_um: float | None = None

    @property
    def lowest_um(self) -> float | None:
        """The lowest position that is allowed."""
        return self.min_um

    @property
    def highest_um(self) -> float | None:
        """The highest position that is allowed, None where nothing is known."""
        known = [one for one in (self.max_um, self._touching_um()) if one is not None]
        return min(known) if known else None

    def free_um(self, position_um: float) -> float | None:
        """Space between the front of the lens and the specimen's nearest point; None where it is not known."""
        if self.nearest_um is None or self.working_distance_um is None:
            return None
        return self.working_distance_um - (position_um - self.nearest_um)

    def check(self, position_um: float) -> None:
        """Raises OutOfReach, with the reason."""
        at = f"{position_um / 1e3:.3f} mm"
        touching = self._touching_um()
        if touching is not None and position_um > touching:
            raise OutOfReach(
                f"{at} would bring the lens against the specimen: of {(self.working_distance_um or 0) / 1e3:.3g} mm "
                f"working distance {max(self.free_um(position_um) or 0.0, 0.0) / 1e3:.2f} mm would be left. Stay below "
                f"{touching / 1e3:.3f} mm, or mark the nearest point again",
                field="position_um",
            )
        if self.max_um is not None and position_um > self.max_um:
            raise OutOfReach(f"{at} lies beyond the rail's far end at {self.max_um / 1e3:.3f} mm", field="position_um")
        if self.min_um is not None and position_um < self.min_um:
            raise OutOfReach(f"{at} lies before the rail's near end at {self.min_um / 1e3:.3f} mm", field="position_um")

    def _touching_um(self) -> float | None:
        if self.nearest_um is None or self.working_distance_um is None:
            return None
        spare = max(_LEAST_FREE * self.working_distance_um, min(_LEAST_FREE_UM, self.working_distance_um / 2))
        return self.nearest_um + self.working_distance_um - spare
