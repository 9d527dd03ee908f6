"""Point spread functions of a defocused circular pupil, by scalar diffraction."""

from functools import lru_cache
from math import ceil, pi

import numpy as np
from numpy.typing import NDArray
from scipy.special import j0

from amber_ladder.core.optics._formulas import rim_slope

_HALO = 3.6  # of λ / NA


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


def half_width_px(defocus_um: float, pixel_um: float, *, na: float, wavelength_um: float, medium_index: float) -> int:
    """Pixels from a kernel's middle to its edge: the geometric cone and a halo of six rings of the Airy pattern."""
    reach_um = abs(defocus_um) * rim_slope(na, medium_index) + _HALO * wavelength_um / na
    return max(1, ceil(reach_um / pixel_um))


@lru_cache(maxsize=512)  # a rig has some hundred, for whatever lies before it
def kernel(
    defocus_um: float, pixel_um: float, *, na: float, wavelength_um: float, medium_index: float
) -> NDArray[np.float32]:
    """The point spread function integrated over square pixels: odd-sized square array that sums to 1, read-only.

    The few per cent of the light that fall beyond `half_width_px` (all of it is known by Parseval's theorem) are strewn
    over the array widely: given to the middle instead, they make blur look as if it grew faster with defocus.
    """
    half = half_width_px(defocus_um, pixel_um, na=na, wavelength_um=wavelength_um, medium_index=medium_index)
    radii = np.linspace(0.0, (half + 1) * 1.42 * pixel_um, 64 + 24 * half)
    profile = radial_profile(radii, defocus_um, na=na, wavelength_um=wavelength_um, medium_index=medium_index)
    parts = 7  # points across a pixel; its light is their mean
    axis = (np.arange((2 * half + 1) * parts) + 0.5) / parts - half - 0.5
    distance = np.hypot(*np.meshgrid(axis, axis)) * pixel_um
    fine = np.interp(distance, radii, profile)
    size = 2 * half + 1
    near = fine.reshape(size, parts, size, parts).mean(axis=(1, 3)) * pixel_um**2
    near *= 4.0 * pi * (na / wavelength_um) ** 2  # of all light, π / (k NA)² as the profile counts it
    wide = np.exp(-0.5 * np.square(np.arange(-half, half + 1) / (0.5 * half)))
    strewn = np.outer(wide, wide) / wide.sum() ** 2
    spread = np.asarray(near + (1.0 - near.sum()) * strewn, np.float32)
    spread.flags.writeable = False
    return spread
