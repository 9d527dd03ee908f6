"""Two pictures of the same place beside each other in one PNG, each with its label."""

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

_MARGIN_PX, _LINE_PX, _TEXT_PX = 16, 30, 17
_SHEET, _INK, _SECOND = (251, 252, 250), (24, 34, 30), (82, 96, 90)


def side_by_side(left: NDArray[Any], right: NDArray[Any], labels: tuple[str, str], footnote: str) -> bytes:
    """A PNG with ``left`` and ``right`` (H, W, 3; 8 or 16 bits) at 1:1, labels above and a footnote below."""
    height, width = left.shape[:2]
    font = ImageFont.load_default(_TEXT_PX)
    size = (2 * width + 3 * _MARGIN_PX, height + 2 * _MARGIN_PX + 2 * _LINE_PX)
    sheet = Image.new("RGB", size, _SHEET)
    draw = ImageDraw.Draw(sheet)
    for place, (picture, label) in enumerate(zip((left, right), labels, strict=True)):
        x = _MARGIN_PX + place * (width + _MARGIN_PX)
        draw.text((x, _MARGIN_PX), _fitting(label, font, width), _INK, font=font)
        shown = np.asarray(picture >> 8 if picture.dtype == np.uint16 else picture, np.uint8)
        sheet.paste(Image.fromarray(np.ascontiguousarray(shown)), (x, _MARGIN_PX + _LINE_PX))
    below = height + _MARGIN_PX + _LINE_PX + 8
    draw.text((_MARGIN_PX, below), _fitting(footnote, font, size[0] - 2 * _MARGIN_PX), _SECOND, font=font)
    stream = io.BytesIO()
    sheet.save(stream, "PNG")
    return stream.getvalue()


def _fitting(words: str, font: ImageFont.FreeTypeFont | ImageFont.ImageFont, width: int) -> str:
    """As much of a line as fits."""
    while len(words) > 1 and font.getlength(words) > width:
        words = f"{words[:-2]}…"
    return words
