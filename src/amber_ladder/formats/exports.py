"""What leaves the house: a picture with its scale bar, and tables."""

import csv
from collections.abc import Iterable, Sequence
from io import BytesIO, StringIO
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, PngImagePlugin

from amber_ladder.core.measuring import ScaleBar
from amber_ladder.formats.lettering import Lettering
from amber_ladder.formats.picture_notes import PictureNotes

_INK, _SHEET = (24, 34, 30), (243, 245, 242)


def picture_file(picture: NDArray[Any] | Image.Image, kind: Literal["PNG", "JPEG"], *, um_per_px: float | None,
                 colour_profile: bytes | None = None, notes: PictureNotes | None = None) -> bytes:  # fmt: skip
    """RGB (H, W, 3) as a file of 8 bits, with its profile, its scale as dots per inch where it is known, and notes."""
    sheet = picture if isinstance(picture, Image.Image) else Image.fromarray(eight_bits(picture))
    file = BytesIO()
    told: dict[str, Any] = {"icc_profile": colour_profile}
    dots = 25_400 / um_per_px if um_per_px else None
    if dots and (kind == "PNG" or dots < 65_000):  # a JPEG counts dots in whole numbers to 65,535 only
        told["dpi"] = (dots, dots)
    if notes:
        told["exif"] = notes.exif()
    if kind == "JPEG":
        sheet.save(file, kind, quality=95, subsampling=0, **told, **({"xmp": notes.xmp()} if notes else {}))
    else:
        if notes:
            told["pnginfo"] = PngImagePlugin.PngInfo()
            told["pnginfo"].add_itxt("XML:com.adobe.xmp", notes.xmp().decode())
        sheet.save(file, kind, **told)
    return file.getvalue()


def eight_bits(picture: NDArray[Any]) -> NDArray[np.uint8]:
    """Colours of 8 or 16 bits in 8 bits."""
    return np.ascontiguousarray((picture >> 8).astype(np.uint8) if picture.dtype == np.uint16 else picture)


def with_bar(picture: NDArray[Any], bar: ScaleBar | None, caption: str, *, pages: Path) -> Image.Image:
    """RGB (H, W, 3) in 8 bits with a strip below it: caption left, scale bar right.

    The strip lies below so that the bar hides nothing of the specimen. Without a scale there is no bar. ``pages`` is
    the folder with the built pages, where the fonts lie.
    """
    height, width = picture.shape[:2]
    size = max(13, round(width / 64))
    strip = round(size * 3.2)
    sheet = Image.new("RGB", (width, height + strip), _SHEET)
    sheet.paste(Image.fromarray(eight_bits(picture)), (0, 0))
    draw, letters = ImageDraw.Draw(sheet), Lettering(pages, size)
    middle = height + strip / 2
    letters.draw(draw, size, middle, caption, _INK)
    if bar is not None:
        left, right = width - size - bar.length_px, width - size
        start = (left + right - letters.width(bar.label)) / 2
        letters.draw(draw, start, middle - size * 0.35, bar.label, _INK)
        thick = max(2, size // 4)
        draw.rectangle(
            (round(left), round(middle + size * 0.6), round(right) - 1, round(middle + size * 0.6) + thick), _INK
        )
    return sheet


def csv_table(head: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """CSV as RFC 4180 has it. A text that a spreadsheet would run as a formula gets a leading apostrophe."""
    out = StringIO()
    writer = csv.writer(out)
    writer.writerow(head)
    writer.writerows([_harmless(cell) for cell in row] for row in rows)
    return out.getvalue()


def _harmless(cell: object) -> object:
    return f"'{cell}" if isinstance(cell, str) and cell[:1] in ("=", "+", "-", "@", "\t") else cell
