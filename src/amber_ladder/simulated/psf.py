"""Point spread functions of a defocused circular pupil, by scalar diffraction."""

from math import ceil, pi

import numpy as np
from numpy.typing import NDArray
from scipy.special import j0

from amber_ladder.core.optics._formulas import rim_slope


def radial_profile(
    radius_um: NDArray[np.float64], defocus_um: float, *, na: float, wavelength_um: float, medium_index: float
) -> NDArray[np.float64]:
    """Intensity at each distance from the axis, in the specimen's plane; not normalised.

    |∫ exp(i k z (sqrt(n² − NA²ρ²) − n)) J0(k NA ρ r) ρ dρ|² over the pupil radius ρ from 0 to 1.
    Source: Born & Wolf, *Principles of Optics*, 8.8, with the exact path instead of its first term.
    """
    wave_number = 2.0 * pi / wavelength_um
    path_um = abs(defocus_um) * (medium_index - np.sqrt(medium_index**2 - na**2))
    samples = 96 + ceil(4.0 * wave_number * (path_um + na * float(radius_um.max())) / pi)
    rho = (np.arange(samples) + 0.5) / samples
    phase = wave_number * defocus_um * (np.sqrt(medium_index**2 - (na * rho) ** 2) - medium_index)
    pupil = np.exp(1j * phase) * rho / samples
    amplitude = j0(wave_number * na * np.outer(radius_um, rho)) @ pupil
    return np.asarray(np.abs(amplitude) ** 2, np.float64)


def blur_radius_um(defocus_um: float, *, na: float, wavelength_um: float, medium_index: float) -> float:
    """Radius that holds nearly all light: the geometric cone's, and two rings of the Airy pattern."""
    return abs(defocus_um) * rim_slope(na, medium_index) + 1.2 * wavelength_um / na


def kernel(
    defocus_um: float, pixel_um: float, *, na: float, wavelength_um: float, medium_index: float
) -> NDArray[np.float32]:
    """The point spread function integrated over square pixels: odd-sized square array that sums to 1."""
    reach_um = blur_radius_um(defocus_um, na=na, wavelength_um=wavelength_um, medium_index=medium_index)
    half = max(1, ceil(reach_um / pixel_um))
    radii = np.linspace(0.0, (half + 1) * 1.42 * pixel_um, 64 + 24 * half)
    profile = radial_profile(radii, defocus_um, na=na, wavelength_um=wavelength_um, medium_index=medium_index)
    parts = 7  # points across a pixel; its light is their mean
    axis = (np.arange((2 * half + 1) * parts) + 0.5) / parts - half - 0.5
    distance = np.hypot(*np.meshgrid(axis, axis)) * pixel_um
    fine = np.interp(distance, radii, profile)
    size = 2 * half + 1
    coarse = fine.reshape(size, parts, size, parts).mean(axis=(1, 3))
    return np.asarray(coarse / coarse.sum(), np.float32)
