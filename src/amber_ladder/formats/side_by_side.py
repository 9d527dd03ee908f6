"""Two pictures beside each other on one sheet, each below its label."""

import io
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from amber_ladder.formats.exports import eight_bits, screen_letter_px
from amber_ladder.formats.lettering import Lettering

_LINES = 2.4  # how tall a line of letters stands
_SHEET, _INK, _SECOND = (251, 252, 250), (24, 34, 30), (82, 96, 90)


def side_by_side(
    left: NDArray[Any], right: NDArray[Any], labels: tuple[str, str], footnote: str, *, pages: Path
) -> bytes:
    """A PNG with ``left`` and ``right`` (H, W, 3; 8 or 16 bits) at 1:1, labels above and a footnote below."""
    pair = beside(left, right, labels, pages=pages)
    size = round(screen_letter_px(left.shape[1]))
    letters, line = Lettering(pages, size), round(_LINES * size)
    sheet = Image.new("RGB", (pair.shape[1], pair.shape[0] + line), _SHEET)
    sheet.paste(Image.fromarray(pair))
    words = _fitting(footnote, letters, pair.shape[1] - size)
    letters.draw(ImageDraw.Draw(sheet), size // 2, pair.shape[0] + line / 2, words, _SECOND)
    stream = io.BytesIO()
    sheet.save(stream, "PNG")
    return stream.getvalue()


def beside(left: NDArray[Any], right: NDArray[Any], labels: tuple[str, str], *, pages: Path) -> NDArray[np.uint8]:
    """Two pictures (H, W, 3; 8 or 16 bits) on one sheet, 8 bits; what is smaller stands at the top of its half."""
    width, gap = max(left.shape[1], right.shape[1]), max(8, left.shape[1] // 60)
    size = round(screen_letter_px(width))
    letters, head = Lettering(pages, size), round(_LINES * size)
    sheet = Image.new("RGB", (2 * width + gap, head + max(left.shape[0], right.shape[0])), _SHEET)
    draw = ImageDraw.Draw(sheet)
    for picture, label, x in ((left, labels[0], 0), (right, labels[1], width + gap)):
        letters.draw(draw, x + size // 2, head / 2, _fitting(label, letters, width - size), _INK)
        sheet.paste(Image.fromarray(eight_bits(picture)), (x, head))
    return np.asarray(sheet)


def _fitting(words: str, letters: Lettering, width: float) -> str:
    """As much of a line as fits."""
    while len(words) > 1 and letters.width(words) > width:
        words = f"{words[:-2]}…"
    return words
