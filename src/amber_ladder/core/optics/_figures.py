"""Figures that explain themselves: each with its formula, its inputs, where those came from, and a source."""

from dataclasses import dataclass
from typing import Literal

from amber_ladder.core.optics._resolve import CIRCLE_OF_CONFUSION_UM, Optics, resolve
from amber_ladder.core.optics._rig import Coupled, FiniteObjective, InfinityObjective, Lens, Measured, Rig

Origin = Literal["entered", "measured", "nominal", "guessed", "assumed", "computed"]

JACOBSON = "Jacobson et al., The Manual of Photography"
ABBE = "Abbe sine condition"
LAGRANGE = "Lagrange invariant"
BORN_WOLF = "Born & Wolf, Principles of Optics; Inoué & Spring, Video Microscopy"
RAYLEIGH = "Rayleigh's criterion"


@dataclass(frozen=True, slots=True)
class FigureInput:
    """One quantity that went into a figure, and where it came from."""

    symbol: str
    label: str
    value: float
    unit: str
    origin: Origin


@dataclass(frozen=True, slots=True)
class Figure:
    """A computed quantity with its derivation. ``values`` has one entry, or two for a width and a height."""

    key: str
    label: str
    values: tuple[float, ...]
    unit: str
    formula: str
    inputs: tuple[FigureInput, ...]
    source: str
    note: str | None = None


def explain(rig: Rig) -> tuple[Figure, ...]:
    """All figures of a rig, in the order in which they follow from each other. Raises as :func:`resolve`."""
    optics = resolve(rig)
    wavelength = FigureInput("λ", "wavelength", rig.wavelength_nm / 1e3, "µm", "assumed")
    index = FigureInput("n", "refractive index around the specimen", rig.medium_index, "", "entered")
    pitch = FigureInput("e", "pixel pitch", rig.sensor.pixel_um, "µm", "entered")
    m = FigureInput("m", "magnification", optics.magnification, "×", _magnification_origin(rig))
    na = FigureInput("NA", "numerical aperture", optics.numerical_aperture, "", "computed")
    f_number = FigureInput("N_e", "effective f-number", optics.effective_f_number, "", "computed")
    depth = optics.sharp_depth_um
    light = () if optics.light_lost_stops is None else (_light_lost(rig, optics),)
    return (
        _magnification(rig, optics),
        _aperture(rig, optics, m),
        _na(rig, optics, m, f_number),
        Figure(
            "sharp_depth_um",
            "Sharp depth of one frame",
            (depth.total,),
            "µm",
            "d = λ n / NA² + n e / (m NA)",
            (wavelength, index, na, pitch, m),
            BORN_WOLF,
            f"{depth.wave:.4g} µm by diffraction and {depth.detector:.4g} µm by one pixel of blur; "
            f"by a blur circle of {CIRCLE_OF_CONFUSION_UM:.0f} µm on the sensor it would be "
            f"{depth.geometric:.4g} µm.",
        ),
        Figure(
            "detail_um",
            "Smallest detail",
            (optics.detail_um,),
            "µm",
            "0.61 λ / NA",
            (wavelength, na),
            RAYLEIGH,
        ),
        Figure(
            "airy_px",
            "Airy disc on the sensor",
            (optics.airy_px,),
            "px",
            "2.44 λ N_e / e",
            (wavelength, f_number, pitch),
            RAYLEIGH,
        ),
        Figure(
            "pixel_um",
            "Pixel on the specimen",
            (optics.pixel_um,),
            "µm",
            "e / m",
            (pitch, m),
            "definition of magnification",
            None if magnification_is_measured(rig) else "Nominal: no scale was measured with this rig.",
        ),
        Figure(
            "field_mm",
            "Field",
            optics.field_mm,
            "mm",
            "pixels · e / m",
            (
                FigureInput("w", "sensor width", rig.sensor.width_px, "px", "entered"),
                FigureInput("h", "sensor height", rig.sensor.height_px, "px", "entered"),
                pitch,
                m,
            ),
            "definition of magnification",
        ),
        *light,
    )


def magnification_is_measured(rig: Rig) -> bool:
    """Whether the scale rests on a measurement rather than on the parts' nominal figures."""
    return isinstance(rig.train, Measured) or bool(rig.measured and rig.measured.magnification)


def _aperture_is_measured(rig: Rig) -> bool:
    return bool(rig.measured and (rig.measured.na is not None or rig.measured.effective_f_number is not None))


def _magnification_origin(rig: Rig) -> Origin:
    return "measured" if magnification_is_measured(rig) else "nominal"


def _magnification(rig: Rig, optics: Optics) -> Figure:
    formula, inputs, source = _magnification_of_parts(rig)
    key, label, value = "magnification", "Magnification", (optics.magnification,)
    if rig.measured is None or rig.measured.magnification is None:
        return Figure(key, label, value, "×", formula, inputs, source)
    measured = FigureInput("m", "measured magnification", optics.magnification, "×", "measured")
    computed = FigureInput("m_c", "what the parts compute to", optics.computed_magnification, "×", "computed")
    spread = rig.measured.u_magnification
    note = f"Computed from the parts: {formula}; the measured one differs by "
    note += f"{optics.magnification / optics.computed_magnification - 1:+.2%}."
    if spread is not None:
        note += f" Standard uncertainty {spread:.3g}×."
    return Figure(key, label, value, "×", "m as measured", (measured, computed), "measured on this rig", note)


def _magnification_of_parts(rig: Rig) -> tuple[str, tuple[FigureInput, ...], str]:
    train = rig.train
    match train:
        case InfinityObjective():
            inputs: tuple[FigureInput, ...] = (
                FigureInput("m_nominal", "engraved on the objective", train.nominal_magnification, "×", "nominal"),
                FigureInput("f_tube", "tube lens", train.tube_mm, "mm", "entered"),
                FigureInput("f_design", "tube lens it is made for", train.design_tube_mm, "mm", "entered"),
            )
            return "m = m_nominal · f_tube / f_design", inputs, LAGRANGE
        case FiniteObjective():
            inputs = (
                FigureInput("m_nominal", "engraved on the objective", train.nominal_magnification, "×", "nominal"),
                FigureInput("L_tube", "tube in use", train.tube_mm, "mm", "entered"),
                FigureInput("L_design", "tube it is made for", train.design_tube_mm, "mm", "entered"),
            )
            return "m = m_nominal · L_tube / L_design", inputs, "thin lens"
        case Coupled():
            inputs = (
                FigureInput("f_rear", "lens on the camera", train.rear_focal_mm, "mm", "entered"),
                FigureInput("f_front", "reversed lens", train.front_focal_mm, "mm", "entered"),
            )
            return "m = f_rear / f_front", inputs, "thin lenses, both at infinity"
        case Measured():
            given = FigureInput("m", "measured magnification", train.magnification, "×", "measured")
            return "m as measured", (given,), "measured on this rig"
        case Lens():
            inputs = (FigureInput("m_lens", "set on the lens", train.magnification, "×", "nominal"),)
            formula = "m = m_lens"
            if train.extension_mm and train.focal_mm:
                inputs += (
                    FigureInput("x", "extension tubes", train.extension_mm, "mm", "entered"),
                    FigureInput("f", "focal length", train.focal_mm, "mm", "entered"),
                )
                formula = "m = m_lens + x / f"
            if train.teleconverter:
                inputs += (FigureInput("k", "teleconverter", train.teleconverter, "×", "entered"),)
                formula = f"{formula.replace('= ', '= (', 1)}) k"
            return formula, inputs, "thin lens"


def _aperture(rig: Rig, optics: Optics, m: FigureInput) -> Figure:
    key, label, value = "effective_f_number", "Effective aperture", (optics.effective_f_number,)
    train = rig.train
    entered = isinstance(train, Measured) and train.na is None
    if entered or (rig.measured and rig.measured.effective_f_number is not None):
        given = FigureInput("N_e", "effective f-number", optics.effective_f_number, "", "measured")
        return Figure(key, label, value, "f/", "N_e as measured", (given,), "measured on this rig")
    if isinstance(train, Lens) and not _aperture_is_measured(rig):
        guessed = train.pupil_magnification is None
        m_lens = optics.magnification / (train.teleconverter or 1.0)
        inputs: tuple[FigureInput, ...] = (
            FigureInput("N", "marked f-number", train.f_number, "", "entered"),
            FigureInput("m", "magnification of the lens", m_lens, "×", m.origin),
            FigureInput(
                "P",
                "pupil magnification",
                train.pupil_magnification or 1.0,
                "",
                "guessed" if guessed else "entered",
            ),
        )
        formula = "N_e = N (1 + m/P)"
        if train.teleconverter:
            inputs += (FigureInput("k", "teleconverter", train.teleconverter, "×", "entered"),)
            formula += " k"
        note = "Pupil magnification guessed as 1." if guessed else None
        return Figure(key, label, value, "f/", formula, inputs, JACOBSON, note)
    na = FigureInput("NA", "numerical aperture", optics.numerical_aperture, "", _na_origin(rig))
    return Figure(key, label, value, "f/", "N_e = m / (2 NA)", (m, na), ABBE)


def _na_origin(rig: Rig) -> Origin:
    if _aperture_is_measured(rig) or isinstance(rig.train, Measured):
        return "measured"
    return "computed" if isinstance(rig.train, Coupled | Lens) else "nominal"


def _na(rig: Rig, optics: Optics, m: FigureInput, f_number: FigureInput) -> Figure:
    key, label, value = "numerical_aperture", "Numerical aperture", (optics.numerical_aperture,)
    by_f_number = Figure(key, label, value, "", "NA = m / (2 N_e)", (m, f_number), ABBE)
    if rig.measured and rig.measured.na is not None:
        given = FigureInput("NA", "numerical aperture", optics.numerical_aperture, "", "measured")
        computed = FigureInput("NA_c", "what the parts compute to", optics.computed_numerical_aperture, "", "computed")
        return Figure(key, label, value, "", "NA as measured", (given, computed), "measured on this rig")
    return by_f_number if _aperture_is_measured(rig) else _na_of_parts(rig, optics, by_f_number)


def _na_of_parts(rig: Rig, optics: Optics, by_f_number: Figure) -> Figure:
    key, label, value = by_f_number.key, by_f_number.label, by_f_number.values
    train = rig.train
    match train:
        case InfinityObjective():
            if optics.numerical_aperture < train.na:
                focal_mm = train.design_tube_mm / train.nominal_magnification
                inputs: tuple[FigureInput, ...] = (
                    FigureInput("D", "iris", train.tube_mm / (train.tube_f_number or 1.0), "mm", "computed"),
                    FigureInput("f", "objective's focal length", focal_mm, "mm", "computed"),
                )
                return Figure(key, label, value, "", "NA = D / (2 f)", inputs, LAGRANGE, optics.warnings[0])
            engraved = FigureInput("NA", "engraved on the objective", train.na, "", "nominal")
            return Figure(key, label, value, "", "NA as engraved", (engraved,), "maker's figure")
        case FiniteObjective():
            engraved = FigureInput("NA", "engraved on the objective", train.na, "", "nominal")
            return Figure(key, label, value, "", "NA as engraved", (engraved,), "maker's figure")
        case Coupled():
            inputs = (
                FigureInput("D_rear", "rear lens's pupil", train.rear_focal_mm / train.rear_f_number, "mm", "computed"),
                FigureInput(
                    "D_front", "front lens's pupil", train.front_focal_mm / train.front_f_number, "mm", "computed"
                ),
                FigureInput("f_front", "reversed lens", train.front_focal_mm, "mm", "entered"),
            )
            return Figure(key, label, value, "", "NA = min(D_rear, D_front) / (2 f_front)", inputs, LAGRANGE)
        case Measured(na=na) if na is not None:
            given = FigureInput("NA", "numerical aperture", na, "", "measured")
            return Figure(key, label, value, "", "NA as measured", (given,), "measured on this rig")
        case _:
            return by_f_number


def _light_lost(rig: Rig, optics: Optics) -> Figure:
    inputs = (
        FigureInput("N_e", "effective f-number", optics.effective_f_number, "", "computed"),
        FigureInput("N", "marked f-number", rig.train.f_number if isinstance(rig.train, Lens) else 1.0, "", "entered"),
    )
    return Figure(
        "light_lost_stops",
        "Light lost against focus at infinity",
        (optics.light_lost_stops or 0.0,),
        "stops",
        "2 log2(N_e / N)",
        inputs,
        "follows from N_e",
    )
