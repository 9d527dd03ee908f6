"""Depth at a place of a picture, and how far its error reaches from one place to the next."""

import numba
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]
Double = NDArray[np.float64]

ALIKE_PX = 6.5
"""Errors of a depth map are alike over about so many px: on simulated stacks of six surfaces those of places 4, 8 and

16 px apart go together by 0.55, 0.17 and 0.05; draws on a lattice so wide by 0.61, 0.11 and 0."""
_AVERAGED_PX = 3.2  # an average by a Gaussian of this σ has errors 0.7 times as large: measured there, too
BRIDGES_PX = (6.0, 12.0, 18.0)
"""σ of the Gaussians by which small holes of a depth map are bridged: the narrowest that suffices."""
_BRIDGE_ENDS = 0.25  # of the Gaussian has to be known around a hole
_BRIDGE_OFF = 2.5  # times their uncertainty: where known depths lie farther off a plane, the hole may hold an edge
_BRIDGE_DOUBT = 0.55  # of how sure what is around it is, and how far it lies off its plane: measured, as above
_STEEPEST = 2.5  # what lies beyond this slope from the middle is the other side of an edge


def depth_at(
    depth: Float, u: Float, xy: Double, *, um_per_px: float, sigma_px: float, most_u: float = np.inf
) -> tuple[Double, Double, Double]:
    """Depth (N,), its slopes along x and y (N, 2) a px, and its standard uncertainty (N,) at places ``xy`` (N, 2) px.

    All in the unit of ``depth`` and ``u`` (H, W). The depth is that of a plane through the known pixels around a place
    that lie on the same side of an edge, weighted by their certainty and a Gaussian of ``sigma_px``. Holes that are no
    wider than the Gaussians of BRIDGES_PX are bridged where what is around them lies on one plane; all else is NaN.
    A depth less sure than ``most_u`` counts as unknown.
    """
    places = np.ascontiguousarray(xy, np.float64)
    z, slopes, spread = np.empty(len(places)), np.empty((len(places), 2)), np.empty(len(places))
    _depth_at(
        np.asarray(depth), np.asarray(u), places, um_per_px, sigma_px, calmer(sigma_px), most_u, z, slopes, spread
    )
    return z, slopes, spread


def known_at(depth: Float, u: Float, xy: Double, most_u: float) -> NDArray[np.bool_]:
    """Whether a depth map (H, W) knows the pixel at places ``xy`` (N, 2) itself, as sure as that; not so outside it."""
    column, row = np.floor(xy.T + 0.5).astype(int)
    inside = (column >= 0) & (row >= 0) & (column < depth.shape[1]) & (row < depth.shape[0])
    out = np.zeros(len(xy), np.bool_)
    here = row[inside], column[inside]
    out[inside] = np.isfinite(depth[here]) & (u[here] <= most_u)
    return out


def calmer(sigma_px: float) -> float:
    """By what the average with a Gaussian makes the errors of a depth map smaller."""
    return float(1.0 / np.hypot(1.0, sigma_px / _AVERAGED_PX))


def alike_px(sigma_px: float) -> float:
    """Over how many px errors are alike after it."""
    return float(np.hypot(ALIKE_PX, 2.3 * sigma_px))


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _depth_at(
    depth: Float, u: Float, places: Double, um_per_px: float, sigma: float, calm: float, most: float, z: Double,
    slopes: Double, spread: Double,
) -> None:  # fmt: skip
    height, width = depth.shape
    for n in numba.prange(places.shape[0]):
        z[n] = spread[n] = slopes[n, 0] = slopes[n, 1] = np.nan
        px, py = places[n, 0], places[n, 1]
        if not (-0.5 <= px < width - 0.5 and -0.5 <= py < height - 0.5):
            continue
        x, y = int(np.floor(px + 0.5)), int(np.floor(py + 0.5))
        if np.isnan(depth[y, x]) or not u[y, x] <= most:
            off = sure = found = right = down = np.nan
            for wide in BRIDGES_PX:
                found, right, down, off, share, sure = _plane_around(
                    depth, u, px, py, um_per_px, max(sigma, wide), most
                )
                if share >= _BRIDGE_ENDS:
                    break
                off = np.nan
            if not off <= _BRIDGE_OFF * sure:
                continue  # an edge, or a hole too wide: what lies there is not known
            spread[n] = _BRIDGE_DOUBT * np.sqrt(sure * sure + off * off)
        else:
            found, right, down, off, share, sure = _plane_around(depth, u, px, py, um_per_px, sigma, most)
            spread[n] = calm * u[y, x]
        z[n], slopes[n, 0], slopes[n, 1] = found, right, down


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _plane_around(
    depth: Float, u: Float, px: float, py: float, um_per_px: float, sigma: float, most: float
) -> tuple[float, float, float, float, float, float]:
    """Height and slopes at a place of the plane around it; how far depths lie off it (rms), how much of the Gaussian

    they fill, and how sure they are. Beyond an edge nothing counts, seen from the middle where that is known.
    """
    x0, y0 = int(np.floor(px + 0.5)), int(np.floor(py + 0.5))
    # Errors are alike over more than this: what lies between would tell no more.
    every = max(1, int(sigma / 3.0))
    reach = int(np.ceil(2.0 * sigma / every))
    falls = 0.5 / (sigma * sigma)
    middle, sure = depth[y0, x0], u[y0, x0]
    edges = not np.isnan(middle) and sure <= most
    s0 = sx = sy = sxx = sxy = syy = t0 = tx = ty = tt = filled = whole = unsure = 0.0
    beside = np.empty(2 * reach + 1)
    for i in range(2 * reach + 1):
        beside[i] = np.exp(-falls * (x0 + (i - reach) * every - px) ** 2)
    for j in range(-reach, reach + 1):
        y = y0 + j * every
        if y < 0 or y >= depth.shape[0]:
            continue
        dy = y - py
        below = np.exp(-falls * dy * dy)
        for i in range(2 * reach + 1):
            x = x0 + (i - reach) * every
            if x < 0 or x >= depth.shape[1]:
                continue
            dx, gauss = x - px, below * beside[i]
            whole += gauss
            value, certain = depth[y, x], u[y, x]
            if np.isnan(value) or not certain <= most:
                continue
            if edges:
                apart = np.sqrt(float((x - x0) ** 2 + (y - y0) ** 2))
                beyond = 4.0 * np.sqrt(certain * certain + sure * sure)
                if abs(value - middle) > beyond + _STEEPEST * um_per_px * apart:
                    continue
            weight = gauss / (certain * certain)
            filled += gauss
            unsure += gauss * certain
            s0 += weight
            sx += weight * dx
            sy += weight * dy
            sxx += weight * dx * dx
            sxy += weight * dx * dy
            syy += weight * dy * dy
            t0 += weight * value
            tx += weight * dx * value
            ty += weight * dy * value
            tt += weight * value * value
    if filled == 0.0:
        return np.nan, np.nan, np.nan, np.nan, 0.0, np.nan
    # About the weighted middle, where slopes and height do not depend on each other.
    mx, my, mz = sx / s0, sy / s0, t0 / s0
    cxx, cxy, cyy = sxx - s0 * mx * mx, sxy - s0 * mx * my, syy - s0 * my * my
    cxz, cyz, czz = tx - s0 * mx * mz, ty - s0 * my * mz, tt - s0 * mz * mz
    right = down = 0.0
    turned = cxx * cyy - cxy * cxy
    if turned > 1e-3 * s0 * s0:  # enough around it for a plane
        right, down = (cxz * cyy - cyz * cxy) / turned, (cyz * cxx - cxz * cxy) / turned
    off = np.sqrt(max(czz - right * cxz - down * cyz, 0.0) / s0)
    return mz - right * mx - down * my, right, down, off, filled / whole, unsure / filled


def alike_nearby(xy: Double, draws: int, *, over_px: float, seed: int) -> Float:
    """Random numbers (draws, N), normal with spread 1, alike at places ``xy`` (N, 2) px that lie near each other."""
    out = np.empty((draws, len(xy)), np.float32)
    _alike_nearby(np.ascontiguousarray(xy, np.float64), over_px, seed, out)
    return out


@numba.njit(inline="always")  # type: ignore[untyped-decorator]
def _normal(x: int, y: int, draw: int, seed: int) -> float:
    """A normal number that belongs to a lattice point: the sum of four even ones, from a hash (Steele et al. 2014)."""
    mixed = np.uint64(x) * np.uint64(0x9E3779B97F4A7C15) ^ np.uint64(y) * np.uint64(0xC2B2AE3D27D4EB4F)
    mixed ^= np.uint64(draw) * np.uint64(0x165667B19E3779F9) ^ np.uint64(seed) * np.uint64(0xD6E8FEB86659FD93)
    mixed = (mixed ^ (mixed >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    mixed = (mixed ^ (mixed >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    mixed ^= mixed >> np.uint64(31)
    total = 0.0
    for _ in range(4):
        total += (mixed & np.uint64(0xFFFF)) / 65535.0
        mixed >>= np.uint64(16)
    return float((total - 2.0) * 1.7320508)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _alike_nearby(xy: Double, over_px: float, seed: int, out: Float) -> None:
    draws, count = out.shape
    for n in numba.prange(count):
        gx, gy = xy[n, 0] / over_px, xy[n, 1] / over_px
        x, y = int(np.floor(gx)), int(np.floor(gy))
        fx, fy = gx - x, gy - y
        w00, w10, w01, w11 = (1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy
        scale = 1.0 / np.sqrt(w00 * w00 + w10 * w10 + w01 * w01 + w11 * w11)
        for d in range(draws):
            value = w00 * _normal(x, y, d, seed) + w10 * _normal(x + 1, y, d, seed)
            value += w01 * _normal(x, y + 1, d, seed) + w11 * _normal(x + 1, y + 1, d, seed)
            out[d, n] = scale * value
