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
class Measured:
    """A train known only by what was measured: magnification and one of the two apertures."""

    magnification: float
    na: float | None = None
    effective_f_number: float | None = None


Train = Lens | InfinityObjective | Measured


@dataclass(frozen=True, slots=True)
class Rig:
    """Sensor, train, wavelength λ in nm and the refractive index *n* of what the specimen lies in."""

    sensor: Sensor
    train: Train
    wavelength_nm: float = 550.0
    medium_index: float = 1.0
