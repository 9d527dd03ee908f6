"""How much the picture can grow as focus goes deeper: what an alignment may find, and what it cannot have seen."""

from dataclasses import dataclass

from amber_ladder.core.optics._resolve import Optics
from amber_ladder.core.optics._rig import Coupled, FiniteObjective, InfinityObjective, Lens, Measured, Rig

_PUPILS = 2.0  # pupil magnifications of lenses lie from 1 / this to this
_SHORTER = 1.5  # times: lenses with inner focusing shorten their focal length so much when they come near
_RING = 2.0  # times a thin lens's breathing: the most that lenses with inner focusing do, either way


@dataclass(frozen=True, slots=True)
class GrowthLimit:
    """The most by which the picture grows or shrinks, as a share of its size, a mm of depth; and why."""

    per_mm: float
    basis: str


def focal_mm(rig: Rig, optics: Optics) -> float | None:
    """Focal length of the part that faces the specimen; None where no entry tells."""
    match rig.train:
        case Lens(focal_mm=focal) if focal:
            return focal
        case InfinityObjective(nominal_magnification=nominal, design_tube_mm=tube):
            return tube / nominal
        case FiniteObjective(tube_mm=tube):
            return tube / (1.0 + optics.magnification)
        case Coupled(front_focal_mm=focal):
            return focal
        case _:
            return None


def growth_limit(rig: Rig, optics: Optics, *, focus_ring: bool) -> GrowthLimit | None:
    """The limit where the rig says enough for one, None else. ``focus_ring``: a lens is focused by it.

    On a rail what lies at distance L from the entrance pupil grows by travel / L, and L is at least the working
    distance, for the pupil lies behind the front of the train; a lens's is f (1/m + 1/P), an objective's at least f,
    with its stop between itself and its back focus. A focus ring changes the magnification of a thin lens by
    depth · m / f. Source: thin lens; Jacobson, *The Manual of Photography*, for P.
    """
    focal = focal_mm(rig, optics)
    if focus_ring and isinstance(rig.train, Lens | Measured):
        if focal is None:
            return None
        return GrowthLimit(_RING * optics.magnification / focal, f"{_RING:g} m / f of a lens focused by its ring")
    told: list[tuple[float, str]] = []
    if rig.working_distance_mm:
        told.append((rig.working_distance_mm, "an entrance pupil no nearer than the working distance"))
    if focal is not None and isinstance(rig.train, Lens):
        distance = focal * (1.0 / optics.magnification + 1.0 / (rig.train.pupil_magnification or _PUPILS))
        told.append((distance / _SHORTER, f"an entrance pupil at f (1/m + 1/P) or {_SHORTER:g} times nearer"))
    elif focal is not None:
        told.append((focal, "an entrance pupil no nearer than the focal length"))
    if not told:
        return None
    distance_mm, basis = max(told)
    return GrowthLimit(1.0 / distance_mm, basis)
