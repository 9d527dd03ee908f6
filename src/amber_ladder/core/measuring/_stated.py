"""How a measured value is stated: no more digits than its uncertainty bears, and what goes into that."""

from math import floor, hypot, isfinite, log10, sqrt

ASSUMED_TOLERANCE = 1e-3
"""Relative half-width for a ruling, ruler or coin of which nobody says how true it is: 1 µm on 1 mm."""
ASSUMED_SLOPE_TOLERANCE_DEG = 0.5
"""Half-width for the slope of a ramp that was set by a protractor or a block."""


def of_tolerance(half_width: float) -> float:
    """Standard uncertainty of a value that lies anywhere within a tolerance: half-width / √3.

    Source: JCGM 100:2008 (GUM), 4.3.7, rectangular distribution.
    """
    return half_width / sqrt(3.0)


def combined(*relative: float) -> float:
    """Relative standard uncertainty of a product of independent factors: root of the sum of squares (GUM 5.1.6)."""
    return hypot(*relative)


def rounded(value: float, u: float) -> tuple[float, float]:
    """A value and its standard uncertainty, both rounded to two digits of the latter (GUM 7.2.6).

    Nothing is rounded where the uncertainty is none (zero, negative or not finite).
    """
    if not (isfinite(u) and u > 0.0):
        return value, u
    places = 1 - floor(log10(u))
    stated_u = round(u, places)
    if stated_u >= 10.0 ** (2 - places):  # 0.0996 became 0.10: two digits are one place fewer
        places -= 1
    return round(value, places), round(u, places)
