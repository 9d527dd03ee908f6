"""From the parts of a rig to what it does: the figures every later stage works with."""

from dataclasses import dataclass, replace
from math import log2

from amber_ladder.core.optics import _formulas as formulas
from amber_ladder.core.optics._rig import (
    Coupled,
    FiniteObjective,
    InfinityObjective,
    Lens,
    Measured,
    MeasuredValues,
    Rig,
)
from amber_ladder.errors import BadInput

LARGEST_DEVIATION = 0.02
"""Share by which a measured magnification may differ from the computed one before it is named."""

_TUBE_TOLERANCE = 0.1
_EMPTY_AIRY_PX = 12.0  # three times what sampling needs

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
    """A resolved rig. Lengths on the specimen in µm unless the name says otherwise.

    ``computed_magnification`` and ``computed_numerical_aperture`` are what the parts give, also where something
    measured stands above them.
    """

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
    computed_magnification: float
    computed_numerical_aperture: float
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
    computed = _aperture_of(rig)
    aperture = _as_measured(rig, computed, rig.measured) if rig.measured else computed
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
        geometric=geometric_depth_um(rig, m, f_number, CIRCLE_OF_CONFUSION_UM),
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
        computed_magnification=computed.magnification,
        computed_numerical_aperture=computed.na,
        warnings=aperture.warnings + _sampling_warnings(airy_px),
    )


def _aperture_of(rig: Rig) -> _Aperture:
    match rig.train:
        case Lens():
            return _lens(rig.train)
        case InfinityObjective():
            return _infinity_objective(rig.train)
        case FiniteObjective():
            return _finite_objective(rig.train)
        case Coupled():
            return _coupled(rig.train)
        case Measured():
            return _measured(rig.train)


def _as_measured(rig: Rig, computed: _Aperture, measured: MeasuredValues) -> _Aperture:
    """What the parts give, with what was measured in its place."""
    magnification = measured.magnification or computed.magnification
    na, light = computed.na, computed.light_lost_stops
    if isinstance(rig.train, Lens) and measured.magnification:
        # The effective aperture follows the magnification that the lens really has.
        converter = rig.train.teleconverter or 1.0
        pupil = rig.train.pupil_magnification or 1.0
        f_number = formulas.effective_f_number(rig.train.f_number, magnification / converter, pupil) * converter
        na = formulas.numerical_aperture(magnification, f_number)
        light = 2.0 * log2(f_number / rig.train.f_number)
    if measured.na is not None:
        na = measured.na
    elif measured.effective_f_number is not None:
        na = formulas.numerical_aperture(magnification, measured.effective_f_number)
    if light is not None and isinstance(rig.train, Lens):
        light = 2.0 * log2(formulas.effective_f_number_from_na(magnification, na) / rig.train.f_number)
    warnings = computed.warnings
    if measured.magnification and abs(magnification / computed.magnification - 1.0) > LARGEST_DEVIATION:
        warnings += (
            f"Measured {magnification:.4g}×, computed {computed.magnification:.4g}×: they differ by "
            f"{magnification / computed.magnification - 1.0:+.1%}. Is an entry of the rig wrong, or the tube length?",
        )
    return replace(computed, magnification=magnification, na=na, light_lost_stops=light, warnings=warnings)


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


def _finite_objective(train: FiniteObjective) -> _Aperture:
    ratio = train.tube_mm / train.design_tube_mm
    warnings: tuple[str, ...] = ()
    if abs(ratio - 1.0) > _TUBE_TOLERANCE:
        warnings = (
            f"The tube ({train.tube_mm:g} mm) is not the one this objective is made for ({train.design_tube_mm:g} mm): "
            "above NA 0.25 or so the picture gets softer than these figures say.",
        )
    return _Aperture(train.nominal_magnification * ratio, train.na, None, warnings)


def _coupled(train: Coupled) -> _Aperture:
    rear_mm, front_mm = (
        train.rear_focal_mm / train.rear_f_number,
        train.front_focal_mm / train.front_f_number,
    )
    ruling = min(rear_mm, front_mm)
    warnings: tuple[str, ...] = ()
    if front_mm < 0.95 * rear_mm:
        warnings = (
            f"The front lens's pupil ({front_mm:.1f} mm) rules, not the rear one's ({rear_mm:.1f} mm): corners may be "
            "dark. Open the front lens and stop down the rear one.",
        )
    return _Aperture(train.rear_focal_mm / train.front_focal_mm, ruling / (2.0 * train.front_focal_mm), None, warnings)


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


def geometric_depth_um(rig: Rig, magnification: float, effective_f_number: float, circle_um: float) -> float:
    """Total sharp depth in µm of the medium for a blur circle on the sensor. Source: geometric optics."""
    focal_mm = rig.train.focal_mm if isinstance(rig.train, Lens) else None
    if focal_mm is None or not isinstance(rig.train, Lens):
        # N (1 + m/P) is N_e, so an effective aperture needs no pupil magnification.
        return 2.0 * effective_f_number * circle_um / magnification**2 * rig.medium_index
    pupil = rig.train.pupil_magnification or 1.0
    return rig.medium_index * formulas.depth_of_circle_of_confusion_um(
        effective_f_number / (1.0 + magnification / pupil), magnification, circle_um, pupil, focal_mm
    )


def _sampling_warnings(airy_px: float) -> tuple[str, ...]:
    # Nyquist on Rayleigh's limit: its distance, half an Airy disc, must span two pixels (as shown, to one decimal).
    if airy_px < 3.95:
        return (
            f"Detail is finer than the pixels can hold (Airy disc {airy_px:.1f} px, 4 needed): "
            "the sensor, not the optics, limits this rig.",
        )
    if airy_px > _EMPTY_AIRY_PX:
        return (
            f"Empty magnification: the Airy disc spans {airy_px:.0f} px where 4 would do. Less magnification, or a "
            "wider aperture, shows the same detail over a larger field with more light.",
        )
    return ()
