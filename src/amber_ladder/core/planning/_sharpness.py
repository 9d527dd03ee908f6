"""By which measure a frame counts as sharp: wave optics and pixels, or a circle of confusion fit for a use."""

from dataclasses import dataclass
from math import radians, tan

from amber_ladder.core.optics import Optics, Rig, geometric_depth_um

EYE_ARC_MINUTES = 1.0
"""Smallest angle that a good eye tells apart; the customary figure (Snellen's 6/6)."""


@dataclass(frozen=True, slots=True)
class Wave:
    """Diffraction plus one pixel of blur."""


@dataclass(frozen=True, slots=True)
class Pixels:
    """A blur circle of so many sensor pixels."""

    count: float = 1.0


@dataclass(frozen=True, slots=True)
class Screen:
    """One pixel of a picture shown ``width_px`` wide."""

    width_px: int


@dataclass(frozen=True, slots=True)
class Print:
    """What an eye cannot tell apart on a print of this width from this distance."""

    width_mm: float
    distance_mm: float


@dataclass(frozen=True, slots=True)
class Circle:
    """A blur circle on the sensor, as given."""

    circle_um: float


Sharpness = Wave | Pixels | Screen | Print | Circle


def circle_um(rig: Rig, sharpness: Sharpness) -> float | None:
    """The blur circle on the sensor that a use allows, in µm; None for wave optics, which needs none."""
    sensor = rig.sensor
    match sharpness:
        case Wave():
            return None
        case Pixels(count=count):
            return count * sensor.pixel_um
        case Screen(width_px=width_px):
            # A screen finer than the sensor shows no more than the sensor has.
            return max(sensor.width_px / width_px, 1.0) * sensor.pixel_um
        case Print(width_mm=width_mm, distance_mm=distance_mm):
            seen_mm = distance_mm * tan(radians(EYE_ARC_MINUTES / 60.0))
            return max(seen_mm / width_mm * sensor.width_px, 1.0) * sensor.pixel_um
        case Circle(circle_um=given):
            return given


def sharp_depth_um(rig: Rig, optics: Optics, sharpness: Sharpness) -> float:
    """Total depth in µm of the medium over which one frame counts as sharp."""
    circle = circle_um(rig, sharpness)
    if circle is None:
        return optics.sharp_depth_um.total
    return geometric_depth_um(rig, optics.magnification, optics.effective_f_number, circle)
