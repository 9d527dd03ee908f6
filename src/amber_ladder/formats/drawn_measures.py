"""A picture with its measures drawn on it: SVG, in which text stays text, or pixels."""

from base64 import b64encode
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from amber_ladder.formats.exports import picture_file
from amber_ladder.formats.lettering import Lettering

_INK, _EDGE = "#ffd166", "#111111"

Places = Sequence[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class DrawnMeasure:
    """Places of a measure, whether they enclose something, whether they are joined, and what is written beside them."""

    places: Places
    closed: bool
    joined: bool
    label: str


def measures_svg(picture: NDArray[np.uint8], drawn: Sequence[DrawnMeasure], title: str) -> str:
    """RGB (H, W, 3) with measures on it, one user unit a pixel."""
    height, width = picture.shape[:2]
    size = max(12.0, width / 70)
    jpeg = b64encode(picture_file(picture, "JPEG", um_per_px=None)).decode()
    size_px = f'width="{width}" height="{height}"'
    lines = [_one(one, size) for one in drawn]
    return "\n".join(
        [
            '<?xml version="1.0" encoding="UTF-8"?>',
            f'<svg xmlns="http://www.w3.org/2000/svg" {size_px} viewBox="0 0 {width} {height}">',
            f"<title>{_plain(title)}</title>",
            f'<image {size_px} href="data:image/jpeg;base64,{jpeg}"/>',
            f'<g fill="none" stroke-linecap="round" font-family="sans-serif" font-size="{size:.1f}">',
            *lines,
            "</g>",
            "</svg>",
            "",
        ]
    )


def with_measures(
    picture: NDArray[np.uint8], drawn: Sequence[DrawnMeasure], *, pages: Path, size_px: int | None = None
) -> Image.Image:
    """RGB (H, W, 3) with measures on it, in as many pixels; ``size_px`` is that of letters, lines go by it.

    ``pages`` is the folder with the built pages, where the fonts lie.
    """
    height, width = picture.shape[:2]
    size = size_px or max(11, round(width / 70))
    sheet = Image.fromarray(np.ascontiguousarray(picture))
    draw, letters = ImageDraw.Draw(sheet), Lettering(pages, size)
    ink, edge = _rgb(_INK), _rgb(_EDGE)
    for one in drawn:
        places = [*one.places, one.places[0]] if one.closed else list(one.places)
        if one.joined and len(places) > 1:
            for colour, wide in ((edge, size / 5), (ink, size / 10)):
                draw.line(places, fill=colour, width=max(1, round(wide)), joint="curve")
        for x, y in one.places:
            draw.circle((x, y), size / 5, fill=ink, outline=edge, width=max(1, size // 15))
        if not one.label:
            continue
        x, y = one.places[-1]
        long = letters.width(one.label)
        left = min(max(x + size / 2, 2.0), max(2.0, width - long - 4))
        middle = min(max(y - size, size), height - size)
        draw.rectangle((left - 3, middle - 0.75 * size, left + long + 3, middle + 0.75 * size), fill=edge)
        letters.draw(draw, left, middle, one.label, ink)
    return sheet


def _rgb(colour: str) -> tuple[int, int, int]:
    red, green, blue = bytes.fromhex(colour[1:])
    return red, green, blue


def _one(measure: DrawnMeasure, size: float) -> str:
    # Pixel centres lie at whole numbers there, here at halves.
    places = [(x + 0.5, y + 0.5) for x, y in measure.places]
    shape = ""
    if measure.joined:
        way = "M" + " L".join(f"{x:.2f} {y:.2f}" for x, y in places) + (" Z" if measure.closed else "")
        shape = "".join(
            f'<path d="{way}" stroke="{colour}" stroke-width="{wide:.2f}"/>'
            for colour, wide in ((_EDGE, size / 5), (_INK, size / 10))
        )
    marks = "".join(
        f'<circle cx="{x:.2f}" cy="{y:.2f}" r="{size / 5:.2f}" fill="{_INK}" stroke="{_EDGE}" '
        f'stroke-width="{size / 15:.2f}"/>'
        for x, y in places
    )
    x, y = places[-1]
    text = (
        f'<text x="{x + size / 2:.2f}" y="{y - size / 2:.2f}" fill="{_INK}" stroke="{_EDGE}" '
        f'stroke-width="{size / 6:.2f}" paint-order="stroke">{_plain(measure.label)}</text>'
    )
    return f"<g>{shape}{marks}{text}</g>"


def _plain(words: str) -> str:
    """As XML has it, which knows no control characters."""
    return escape("".join(one for one in words if one.isprintable()))
