"""A rig as it is put together at the bench: a sensor behind an optical train."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Sensor:
    """Pixel counts and the pixel pitch *e* in µm."""

    width_px: int
    height_px: int
    pixel_um: float


@dataclass(frozen=True, slots=True)
class Lens:
    """A camera lens. ``magnification`` is that of the lens alone, without extension or teleconverter.

    A pupil magnification of ``None`` is taken as 1 and marked as guessed.
    """

    f_number: float
    magnification: float
    pupil_magnification: float | None = None
    focal_mm: float | None = None
    extension_mm: float | None = None
    teleconverter: float | None = None


@dataclass(frozen=True, slots=True)
class InfinityObjective:
    """An infinity-corrected objective on a tube lens of ``tube_mm``, made for one of ``design_tube_mm``.

    ``tube_f_number`` is the setting of an iris in the tube lens, ``None`` when it has none.
    """

    nominal_magnification: float
    na: float
    design_tube_mm: float
    tube_mm: float
    tube_f_number: float | None = None


@dataclass(frozen=True, slots=True)
class FiniteObjective:
    """An objective made for a mechanical tube of ``design_tube_mm``, on one of ``tube_mm``, without a tube lens."""

    nominal_magnification: float
    na: float
    design_tube_mm: float
    tube_mm: float


@dataclass(frozen=True, slots=True)
class Coupled:
    """A lens reversed on another: the rear one carries the camera, the front one faces the specimen backwards.

    Both focus at infinity; their f-numbers are as set on them.
    """

    rear_focal_mm: float
    rear_f_number: float
    front_focal_mm: float
    front_f_number: float


@dataclass(frozen=True, slots=True)
class Measured:
    """A train known only by what was measured: magnification and one of the two apertures."""

    magnification: float
    na: float | None = None
    effective_f_number: float | None = None


Train = Lens | InfinityObjective | FiniteObjective | Coupled | Measured


@dataclass(frozen=True, slots=True)
class MeasuredValues:
    """What was really measured on a rig; it stands above what its parts compute to. One aperture at most."""

    magnification: float | None = None
    u_magnification: float | None = None
    na: float | None = None
    effective_f_number: float | None = None


@dataclass(frozen=True, slots=True)
class Rig:
    """Sensor, train, wavelength λ in nm and the refractive index *n* of what the specimen lies in.

    ``working_distance_mm`` is free space from the front of the train to the focus, ``image_circle_mm`` the diameter
    that the train lights on the sensor; ``None`` where unknown.
    """

    sensor: Sensor
    train: Train
    wavelength_nm: float = 550.0
    medium_index: float = 1.0
    measured: MeasuredValues | None = None
    working_distance_mm: float | None = None
    image_circle_mm: float | None = None
