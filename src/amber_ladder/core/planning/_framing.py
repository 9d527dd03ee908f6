"""What aligning the frames will cost at the picture's edges, and what turning the specimen saves."""

from dataclasses import dataclass
from math import atan2, degrees, hypot, radians, sin
from typing import Literal

from amber_ladder.core.optics import InfinityObjective, Optics, Rig, focal_mm

Moves = Literal["rail", "focus_ring"]
_DRIFT_PX = 6.0  # assumed: what a firm stand wanders during a stack
_ASSUMED_FOCAL_MM = 60.0


@dataclass(frozen=True, slots=True)
class Framing:
    """How much the picture grows over the ladder, as a share of its width, and the field that remains.

    ``assumed`` says what the figure rests on where an entry is missing.
    """

    growth: float
    inner_share: float
    field_mm: tuple[float, float]
    formula: str
    assumed: str | None


def loose_framing(rig: Rig, optics: Optics, *, travel_um: float, moves: Moves) -> Framing:
    """The frame to compose within: what every frame of the stack will still show after alignment.

    ``travel_um`` is the stage's. On a rail the entrance pupil comes nearer by it: the picture grows by
    travel / distance. A focus ring changes the magnification of the lens itself, by depth · m / f. Source: thin lens.
    """
    growth, formula, assumed = _growth(rig, optics, travel_um / 1e3, moves)
    shortest = min(rig.sensor.width_px, rig.sensor.height_px)
    inner = max((1.0 - growth) - 2.0 * _DRIFT_PX / shortest, 0.0)
    width, height = optics.field_mm
    return Framing(growth, inner, (width * inner, height * inner), formula, assumed)


def _growth(rig: Rig, optics: Optics, depth_mm: float, moves: Moves) -> tuple[float, str, str | None]:
    if isinstance(rig.train, InfinityObjective):
        # Its stop lies in its back focus: the entrance pupil is far away, and size does not change with focus.
        return 0.0, "telecentric towards the specimen: the picture keeps its size", "stop in the back focus assumed"
    focal, assumed = focal_mm(rig, optics), None
    if focal is None:
        focal, assumed = _ASSUMED_FOCAL_MM, f"focal length not known, {_ASSUMED_FOCAL_MM:g} mm assumed"
    if moves == "focus_ring":
        return depth_mm * optics.magnification / focal, "depth · m / f", assumed
    return depth_mm / (focal * (1.0 + 1.0 / optics.magnification)), "depth / (f (1 + 1/m))", assumed


@dataclass(frozen=True, slots=True)
class Turn:
    """A specimen turned by ``turned_deg`` towards the sensor's plane: the depth that remains, and the frames."""

    turned_deg: float
    depth_um: float
    frames_saved: int


def turning(*, depth_um: float, across_um: float, step_um: float, by_degrees: tuple[float, ...]) -> tuple[Turn, ...]:
    """What turning saves if the depth is that of a slope across the field: depth' = L sin(slope − turn).

    ``step_um`` is the step in the same medium as the depth.
    """
    length, slope = hypot(depth_um, across_um), degrees(atan2(depth_um, across_um))
    turns = []
    for turned in by_degrees:
        left_um = abs(length * sin(radians(slope - turned)))
        # Turned beyond level, it slopes the other way: no more is saved.
        if turned > slope:
            break
        turns.append(Turn(turned, left_um, int(depth_um / step_um) - int(left_um / step_um)))
    return tuple(turns)
