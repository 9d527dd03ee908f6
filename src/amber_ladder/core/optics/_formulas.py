"""One short function a formula, named for the quantity it gives.

Symbols: *m* magnification, *P* pupil magnification (exit over entrance pupil), *N* marked f-number,
*N_e* effective f-number, *NA* numerical aperture on the specimen side, *n* refractive index of what the
specimen lies in, *e* pixel pitch. All arguments are positive; NA is smaller than n.
"""

from math import log2, sqrt


def effective_f_number(f_number: float, magnification: float, pupil_magnification: float = 1.0) -> float:
    """N_e = N (1 + m/P). Source: Jacobson et al., *The Manual of Photography*."""
    return f_number * (1.0 + magnification / pupil_magnification)


def numerical_aperture(magnification: float, effective_f_number: float) -> float:
    """NA = m / (2 N_e), on the specimen side. Source: Abbe sine condition."""
    return magnification / (2.0 * effective_f_number)


def effective_f_number_from_na(magnification: float, na: float) -> float:
    """N_e = m / (2 NA). Source: Abbe sine condition."""
    return magnification / (2.0 * na)


def lens_light_lost_stops(magnification: float, pupil_magnification: float = 1.0) -> float:
    """Stops lost against focus at infinity: 2 log2(1 + m/P). Follows from N_e."""
    return 2.0 * log2(1.0 + magnification / pupil_magnification)


def flash_stops(effective_f_number_before: float, effective_f_number_after: float) -> float:
    """Stops by which the flash must rise: 2 log2(N_e2 / N_e1). Negative when it may fall."""
    return 2.0 * log2(effective_f_number_after / effective_f_number_before)


def objective_pupil_mm(na: float, nominal_magnification: float, design_tube_mm: float) -> float:
    """Diameter of an infinity objective's exit pupil, D = 2 NA f_design / m. Source: Lagrange invariant."""
    return 2.0 * na * design_tube_mm / nominal_magnification


def wave_depth_um(na: float, wavelength_nm: float, medium_index: float = 1.0) -> float:
    """Total sharp depth by diffraction, λ n / NA². Source: Born & Wolf, *Principles of Optics*, 8.8."""
    return wavelength_nm * 1e-3 * medium_index / na**2


def detector_depth_um(magnification: float, na: float, pixel_um: float, medium_index: float = 1.0) -> float:
    """Depth that one pixel of blur adds, n e / (m NA), total. Source: Inoué & Spring, *Video Microscopy*."""
    return medium_index * pixel_um / (magnification * na)


def depth_of_circle_of_confusion_um(
    f_number: float,
    magnification: float,
    circle_of_confusion_um: float,
    pupil_magnification: float = 1.0,
    focal_mm: float | None = None,
) -> float:
    """Total depth for a blur circle C, in µm: 2 N C (1 + m/P) / (m² − (N C / f)²).

    The last term is dropped when the focal length is unknown. Returns ``inf`` beyond the hyperfocal
    distance. Source: geometric optics.
    """
    far_term = 0.0 if focal_mm is None else (f_number * circle_of_confusion_um / (focal_mm * 1e3)) ** 2
    remaining = magnification**2 - far_term
    if remaining <= 0.0:
        return float("inf")
    spread = 2.0 * f_number * circle_of_confusion_um * (1.0 + magnification / pupil_magnification)
    return spread / remaining


def smallest_detail_um(na: float, wavelength_nm: float) -> float:
    """Rayleigh's limit on the specimen, 0.61 λ / NA."""
    return 0.61 * wavelength_nm * 1e-3 / na


def airy_disc_um(effective_f_number: float, wavelength_nm: float) -> float:
    """Diameter of the Airy disc on the sensor, 2.44 λ N_e."""
    return 2.44 * wavelength_nm * 1e-3 * effective_f_number


def airy_blur(airy_disc: float) -> float:
    """Standard deviation of the Gaussian nearest to an Airy disc of this diameter, in the same unit: 0.42 λ N of 2.44.

    Source: Zhang, Zerubia & Olivo-Marin 2007 (0.21 λ / NA).
    """
    return airy_disc * 0.42 / 2.44


def paraxial_focus_ratio(medium_index: float) -> float:
    """How far focus moves in the medium for each µm of stage, rays near the axis: n. Source: Snell."""
    return medium_index


def rim_focus_ratio(na: float, medium_index: float) -> float:
    """The same for the rim rays: sqrt(n² − NA²) / sqrt(1 − NA²); needs NA < 1 outside. Source: Snell."""
    return sqrt(medium_index**2 - na**2) / sqrt(1.0 - na**2)


def rim_slope(na: float, medium_index: float) -> float:
    """Tangent of the rim ray's angle in the medium, NA / sqrt(n² − NA²): blur diameter per µm of step."""
    return na / sqrt(medium_index**2 - na**2)
