"""Places of a merge to look at, in the order of how much they matter, and how a person left each."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import sqrt
from typing import Any, Literal

import numpy as np

PlaceState = Literal["open", "mended", "fine", "left"]
_WEIGHTS = {"moved": 4.0, "halo": 3.0, "soft": 3.0, "dust": 2.0, "streak": 1.0}
"""How much a kind of finding spoils the picture for its size. Others, such as missing rungs, cannot be mended."""
_ALL_OF_IT = 0.9  # of the picture: an outline around that points nowhere
_CELL_PX = 4


@dataclass(frozen=True, slots=True)
class PlaceView:
    """A place by its ``key``: what was found there, its box in px of the merge, and how it was left."""

    key: str
    kind: str
    x: int
    y: int
    width: int
    height: int
    size: float
    unit: str
    do: str
    state: PlaceState


def places_of(report: Mapping[str, Any], judged: Mapping[str, str]) -> list[PlaceView]:
    """The places of a merge by its report, those first that matter most: by kind, and by how much of it they spoil."""
    crop = report["crop"]
    whole = crop["width"] * crop["height"]
    found = [one for one in report.get("findings", ()) if one["kind"] in _WEIGHTS
             and one["width"] * one["height"] < _ALL_OF_IT * whole]  # fmt: skip
    found.sort(key=lambda one: -_WEIGHTS[one["kind"]] * sqrt(one["width"] * one["height"]))
    return [
        PlaceView(
            (key := key_of(one)), one["kind"], one["x"], one["y"], one["width"], one["height"], one["size"],
            one["unit"], one["do"], judged.get(key, "open"),  # type: ignore[arg-type]
        )
        for one in found
    ]  # fmt: skip


def key_of(one: Mapping[str, Any]) -> str:
    """What a finding is called: another merge that finds the same gives it the same name."""
    return "-".join(str(one[name]) for name in ("kind", "x", "y", "width", "height"))


def share_of(places: Sequence[PlaceView], width: int, height: int) -> float:
    """What share of a picture they touch, 0 to 1; where they lie over each other it counts once."""
    if not places:
        return 0.0
    touched = np.zeros((-(-height // _CELL_PX), -(-width // _CELL_PX)), np.bool_)
    for one in places:
        rows = slice(one.y // _CELL_PX, -(-(one.y + one.height) // _CELL_PX))
        touched[rows, one.x // _CELL_PX : -(-(one.x + one.width) // _CELL_PX)] = True
    return float(touched.mean())
