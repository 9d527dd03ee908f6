"""A scale bar of a round length."""

from dataclasses import dataclass
from math import floor, log10


@dataclass(frozen=True, slots=True)
class ScaleBar:
    """Length on the specimen in µm, length in the picture in px, and how the length is written."""

    length_um: float
    length_px: float
    label: str


def scale_bar(width_px: int, um_per_px: float, *, largest_share: float = 0.25) -> ScaleBar:
    """The longest of 1, 2 or 5 times a power of ten that fits into a share of the picture's width."""
    most_um = width_px * um_per_px * largest_share
    decade = 10.0 ** floor(log10(most_um))
    length_um = max(step * decade for step in (1.0, 2.0, 5.0) if step * decade <= most_um * (1 + 1e-9))
    return bar_of(length_um, um_per_px)


def bar_of(length_um: float, um_per_px: float) -> ScaleBar:
    """A bar of this length at this scale."""
    value, unit = (length_um / 1e3, "mm") if length_um >= 1e3 else (length_um, "µm")
    return ScaleBar(length_um, length_um / um_per_px, f"{value:.6g} {unit}")
