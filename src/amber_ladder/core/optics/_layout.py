"""The rig as a drawing: where its parts stand along the axis, how wide they are, and the cone of light through them."""

from dataclasses import dataclass
from typing import Literal

from amber_ladder.core.optics._resolve import Optics
from amber_ladder.core.optics._rig import Coupled, FiniteObjective, InfinityObjective, Lens, Rig

_ASSUMED_FOCAL_MM = 60.0
_ASSUMED_WORKING_MM = 30.0
_INFINITY_SPACE_MM = 40.0  # between objective and tube lens; any distance does, so a short one is drawn

PartKind = Literal["sensor", "tube", "tube_lens", "lens", "objective", "iris", "specimen"]


@dataclass(frozen=True, slots=True)
class DrawnPart:
    """A part at ``at_mm`` from the sensor towards the specimen; ``height_mm`` is its full width across the axis."""

    kind: PartKind
    label: str
    at_mm: float
    length_mm: float
    height_mm: float


@dataclass(frozen=True, slots=True)
class Drawing:
    """Parts from sensor to specimen, and the upper edge of the light cone as (mm along, mm from the axis) points.

    Both are to scale. ``assumed`` names the distances that had to be assumed for want of an entry.
    """

    parts: tuple[DrawnPart, ...]
    cone: tuple[tuple[float, float], ...]
    length_mm: float
    assumed: tuple[str, ...]


def draw_rig(rig: Rig, optics: Optics) -> Drawing:
    """Lay a rig out along its axis, thin lenses to scale."""
    sensor_mm = rig.sensor.height_px * rig.sensor.pixel_um / 1e3
    sensor = DrawnPart(
        "sensor", f"sensor {rig.sensor.width_px * rig.sensor.pixel_um / 1e3:.1f} mm wide", 0, 2, sensor_mm
    )
    match rig.train:
        case InfinityObjective():
            return _infinity(rig, rig.train, optics, sensor)
        case Coupled():
            return _coupled(rig, rig.train, optics, sensor)
        case FiniteObjective():
            return _finite(rig, rig.train, optics, sensor)
        case _:
            return _one_lens(rig, optics, sensor)


def _specimen(rig: Rig, optics: Optics, at_mm: float) -> DrawnPart:
    width, height = optics.field_mm
    return DrawnPart("specimen", f"field {width:.3g} × {height:.3g} mm", at_mm, 1.0, max(height, 1.0))


def _infinity(rig: Rig, train: InfinityObjective, optics: Optics, sensor: DrawnPart) -> Drawing:
    focal_mm = train.design_tube_mm / train.nominal_magnification
    tube = train.tube_mm
    objective = tube + _INFINITY_SPACE_MM
    specimen = objective + focal_mm
    # Half the beam: what the aperture in use lets through.
    half = optics.numerical_aperture * focal_mm
    full = train.na * focal_mm
    parts = [sensor, DrawnPart("tube_lens", f"tube lens {tube:g} mm", tube, 6, max(2.4 * full, 20))]
    if train.tube_f_number is not None:
        iris = tube / train.tube_f_number
        parts.append(DrawnPart("iris", f"iris {iris:.1f} mm", tube + 6, 1, iris))
    parts.append(
        DrawnPart(
            "objective",
            f"{train.nominal_magnification:g}× / {train.na:g}, pupil {2 * full:.1f} mm",
            objective,
            12,
            max(2.4 * full, 14),
        )
    )
    parts.append(_specimen(rig, optics, specimen))
    cone = ((0.0, 0.0), (tube, half), (objective, half), (specimen, 0.0))
    return Drawing(tuple(parts), cone, specimen, ("space between objective and tube lens",))


def _finite(rig: Rig, train: FiniteObjective, optics: Optics, sensor: DrawnPart) -> Drawing:
    working = rig.working_distance_mm or train.tube_mm / optics.magnification
    specimen = train.tube_mm + working
    half = min(optics.numerical_aperture * working, 0.5 * working)
    parts = (
        sensor,
        DrawnPart("tube", f"tube {train.tube_mm:g} mm", 2, train.tube_mm - 2, 24),
        DrawnPart("objective", f"{train.nominal_magnification:g}× / {train.na:g}", train.tube_mm, 12, 20),
        _specimen(rig, optics, specimen),
    )
    assumed = () if rig.working_distance_mm else ("working distance",)
    return Drawing(parts, ((0.0, 0.0), (train.tube_mm, half), (specimen, 0.0)), specimen, assumed)


def _coupled(rig: Rig, train: Coupled, optics: Optics, sensor: DrawnPart) -> Drawing:
    rear, gap = train.rear_focal_mm, 20.0
    front = rear + gap
    specimen = front + train.front_focal_mm
    half = optics.numerical_aperture * train.front_focal_mm
    rear_mm, front_mm = rear / train.rear_f_number, train.front_focal_mm / train.front_f_number
    parts = (
        sensor,
        DrawnPart("lens", f"{rear:g} mm, pupil {rear_mm:.1f} mm", rear, 8, max(1.5 * rear_mm, 20)),
        DrawnPart(
            "lens", f"{train.front_focal_mm:g} mm reversed, pupil {front_mm:.1f} mm", front, 8, max(1.5 * front_mm, 20)
        ),
        _specimen(rig, optics, specimen),
    )
    cone = ((0.0, 0.0), (rear, half), (front, half), (specimen, 0.0))
    return Drawing(parts, cone, specimen, ("space between the lenses",))


def _one_lens(rig: Rig, optics: Optics, sensor: DrawnPart) -> Drawing:
    """A camera lens, or whatever was measured, as one thin lens at the distances its magnification asks for."""
    train = rig.train
    focal = train.focal_mm if isinstance(train, Lens) else None
    assumed = () if focal else (f"focal length ({_ASSUMED_FOCAL_MM:g} mm)",)
    focal = focal or _ASSUMED_FOCAL_MM
    m = optics.magnification
    image, subject = focal * (1 + m), focal * (1 + 1 / m)
    half = optics.numerical_aperture * subject
    label = "measured train"
    parts = [sensor]
    if isinstance(train, Lens):
        label = f"lens at f/{train.f_number:g}"
        if train.extension_mm:
            parts.append(DrawnPart("tube", f"{train.extension_mm:g} mm of tubes", 18, train.extension_mm, 30))
    parts.append(DrawnPart("lens", label, image, 14, max(2.4 * half, 24)))
    parts.append(_specimen(rig, optics, image + subject))
    return Drawing(tuple(parts), ((0.0, 0.0), (image, half), (image + subject, 0.0)), image + subject, assumed)
