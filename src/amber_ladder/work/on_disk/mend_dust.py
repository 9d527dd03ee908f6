"""Dust of the sensor that was looked for once in the frames of a merge, and what is said of each spot."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from amber_ladder.core.mending import Cleaned, Spot


@dataclass(frozen=True, slots=True)
class Rack:
    """What replaces the dust of a merge, and what is to be said of each spot.

    Spots wider than ``widest_told_px`` cannot be told from what is out of focus.
    """

    cleaned: tuple[Cleaned, ...]
    spots: tuple[dict[str, Any], ...]
    widest_told_px: float

    def without(self, keep: Sequence[int]) -> "Rack":
        """The same, but for the spots of these numbers: they are left as they are."""
        spots = tuple(_left(one) if one["number"] in keep else one for one in self.spots)
        return Rack(tuple(one for one in self.cleaned if one.spot not in keep), spots, self.widest_told_px)


def _left(spot: dict[str, Any]) -> dict[str, Any]:
    """A spot of which nothing is replaced."""
    return {**{name: spot[name] for name in ("number", "x", "y", "radius_px")}, "replaced": False}


def spot_json(number: int, spot: Spot, done: Cleaned | None, files: Sequence[str]) -> dict[str, Any]:
    """A spot, by its number; ``replaced`` where it left anything in the picture and was not to be kept."""
    said: dict[str, Any] = {
        "number": number, "x": round(spot.x, 1), "y": round(spot.y, 1), "radius_px": round(spot.radius_px, 1),
        "replaced": done is not None,
    }  # fmt: skip
    if done:
        box = done.box
        said["box"] = {"x": box.left, "y": box.top, "width": box.right - box.left, "height": box.bottom - box.top}
        said["frames"] = [files[place] for place in done.frames]
        said["brightened"] = round(done.brightened, 3)
    return said
