"""From the parts of a rig to what it does: the figures every later stage works with."""

from dataclasses import dataclass
from math import log2

from amber_ladder.core.optics import _formulas as formulas
from amber_ladder.core.optics._rig import InfinityObjective, Lens, Measured, Rig
from amber_ladder.errors import BadInput

CIRCLE_OF_CONFUSION_UM = 30.0
"""Assumed blur circle on the sensor for the geometric depth; the customary figure for a 36 × 24 mm picture."""


@dataclass(frozen=True, slots=True)
class SharpDepth:
    """Total sharp depth of one frame in µm of the medium, by wave optics, pixel, and blur circle.

    ``total`` is wave plus detector, the depth that plans are made with.
    """

    wave: float
    detector: float
    geometric: float

    @property
    def total(self) -> float:
        """Wave optics plus one pixel of blur, in µm."""
        return self.wave + self.detector


@dataclass(frozen=True, slots=True)
class Optics:
    """A resolved rig. Lengths on the specimen in µm unless the name says otherwise."""

    magnification: float
    effective_f_number: float
    numerical_aperture: float
    sharp_depth_um: SharpDepth
    detail_um: float
    airy_px: float
    pixel_um: float
    field_mm: tuple[float, float]
    light_lost_stops: float | None
    medium_index: float
    warnings: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class _Aperture:
    magnification: float
    na: float
    light_lost_stops: float | None
    warnings: tuple[str, ...] = ()


def resolve(rig: Rig) -> Optics:
    """Resolve a rig to its figures.

    Raises:
        BadInput: an aperture that the medium cannot pass (NA ≥ n), extension tubes on a lens of unknown focal
            length, or a measured train without an aperture.
    """
    aperture = _aperture_of(rig)
    m, na = aperture.magnification, aperture.na
    if na >= rig.medium_index:
        raise BadInput(
            f"a numerical aperture of {na:.3g} is impossible in a medium of refractive index "
            f"{rig.medium_index:.3g}: it must be smaller. Check aperture and magnification.",
            field="train",
        )
    f_number = formulas.effective_f_number_from_na(m, na)
    sensor = rig.sensor
    pixel_um = sensor.pixel_um / m
    depth = SharpDepth(
        wave=formulas.wave_depth_um(na, rig.wavelength_nm, rig.medium_index),
        detector=formulas.detector_depth_um(m, na, sensor.pixel_um, rig.medium_index),
        geometric=_geometric_depth_um(rig, m, f_number),
    )
    airy_px = formulas.airy_disc_um(f_number, rig.wavelength_nm) / sensor.pixel_um
    return Optics(
        magnification=m,
        effective_f_number=f_number,
        numerical_aperture=na,
        sharp_depth_um=depth,
        detail_um=formulas.smallest_detail_um(na, rig.wavelength_nm),
        airy_px=airy_px,
        pixel_um=pixel_um,
        field_mm=(sensor.width_px * pixel_um / 1e3, sensor.height_px * pixel_um / 1e3),
        light_lost_stops=aperture.light_lost_stops,
        medium_index=rig.medium_index,
        warnings=aperture.warnings + _sampling_warnings(airy_px),
    )


def _aperture_of(rig: Rig) -> _Aperture:
    match rig.train:
        case Lens():
            return _lens(rig.train)
        case InfinityObjective():
            return _infinity_objective(rig.train)
        case Measured():
            return _measured(rig.train)


def _lens(train: Lens) -> _Aperture:
    pupil = train.pupil_magnification or 1.0
    magnification = train.magnification
    if train.extension_mm:
        if train.focal_mm is None:
            raise BadInput(
                "extension tubes change the magnification by their length over the focal length: "
                "enter the focal length of the lens",
                field="train.focal_mm",
            )
        magnification += train.extension_mm / train.focal_mm
    converter = train.teleconverter or 1.0
    f_number = formulas.effective_f_number(train.f_number, magnification, pupil) * converter
    guessed = (
        ()
        if train.pupil_magnification
        else ("Pupil magnification not given, taken as 1: effective aperture and depth rest on a guess.",)
    )
    return _Aperture(
        magnification=magnification * converter,
        na=formulas.numerical_aperture(magnification * converter, f_number),
        light_lost_stops=2.0 * log2(f_number / train.f_number),
        warnings=guessed,
    )


def _infinity_objective(train: InfinityObjective) -> _Aperture:
    focal_mm = train.design_tube_mm / train.nominal_magnification
    na = train.na
    warnings: tuple[str, ...] = ()
    if train.tube_f_number is not None:
        iris_mm = train.tube_mm / train.tube_f_number
        pupil_mm = formulas.objective_pupil_mm(train.na, train.nominal_magnification, train.design_tube_mm)
        if iris_mm < pupil_mm:
            na = iris_mm / (2.0 * focal_mm)
            warnings = (
                f"The tube lens's iris ({iris_mm:.1f} mm) is smaller than the objective's pupil "
                f"({pupil_mm:.1f} mm): aperture lowered from NA {train.na:.3g} to {na:.3g}, corners darker.",
            )
    return _Aperture(
        magnification=train.nominal_magnification * train.tube_mm / train.design_tube_mm,
        na=na,
        light_lost_stops=None,
        warnings=warnings,
    )


def _measured(train: Measured) -> _Aperture:
    if train.na is not None:
        return _Aperture(train.magnification, train.na, None)
    if train.effective_f_number is not None:
        na = formulas.numerical_aperture(train.magnification, train.effective_f_number)
        return _Aperture(train.magnification, na, None)
    raise BadInput(
        "a measured train needs its numerical aperture or its effective f-number: enter one of them",
        field="train.na",
    )


def _geometric_depth_um(rig: Rig, magnification: float, f_number: float) -> float:
    focal_mm = rig.train.focal_mm if isinstance(rig.train, Lens) else None
    if focal_mm is None or not isinstance(rig.train, Lens):
        # N (1 + m/P) is N_e, so an effective aperture needs no pupil magnification.
        return 2.0 * f_number * CIRCLE_OF_CONFUSION_UM / magnification**2
    pupil = rig.train.pupil_magnification or 1.0
    return formulas.depth_of_circle_of_confusion_um(
        f_number / (1.0 + magnification / pupil), magnification, CIRCLE_OF_CONFUSION_UM, pupil, focal_mm
    )


def _sampling_warnings(airy_px: float) -> tuple[str, ...]:
    # Nyquist on Rayleigh's limit: its distance, half an Airy disc, must span two pixels (as shown, to one decimal).
    if airy_px < 3.95:
        return (
            f"Detail is finer than the pixels can hold (Airy disc {airy_px:.1f} px, 4 needed): "
            "the sensor, not the optics, limits this rig.",
        )
    return ()
