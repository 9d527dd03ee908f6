"""What leaves the house: a picture with its scale bar, and tables."""

import csv
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from io import BytesIO, StringIO
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, PngImagePlugin

from amber_ladder.core.measuring import ScaleBar
from amber_ladder.formats.lettering import Ink, Lettering
from amber_ladder.formats.picture_notes import PictureNotes

_INK, _SHEET, _WHITE, _BLACK = (24, 34, 30), (243, 245, 242), (255, 255, 255), (0, 0, 0)
_MIDDLE = 118  # grey that looks as far from white as from black


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


BarPlace = Literal["below", "bottom right", "bottom left", "top right", "top left"]
BarColour = Literal["by what lies beneath", "white", "black"]


@dataclass(frozen=True, slots=True)
class BarLook:
    """Where a bar stands, of what colour (in the picture), and how large its letters are, px; None: for a screen."""

    place: BarPlace = "below"
    colour: BarColour = "by what lies beneath"
    letter_px: float | None = None


def screen_letter_px(width_px: int) -> float:
    """Letters that are read on a screen which shows a picture of this width whole."""
    return max(13.0, width_px / 64)


def with_bar(
    picture: NDArray[Any], bar: ScaleBar | None, caption: str, look: BarLook | None = None, *, pages: Path
) -> Image.Image:
    """RGB (H, W, 3) in 8 bits with its scale bar: in a strip below it, beside the caption, or in one of its corners.

    Usually the strip: there the bar hides nothing of the specimen. In the picture there is no caption. Without a scale
    there is no bar. ``pages`` is the folder with the built pages, where the fonts lie.
    """
    look = look or BarLook()
    height, width = picture.shape[:2]
    size = max(4, round(look.letter_px or screen_letter_px(width)))
    letters, shown = Lettering(pages, size), Image.fromarray(eight_bits(picture))
    if look.place != "below":
        if bar is not None:
            _in_the_picture(shown, bar, look, letters, size)
        return shown
    # A long bar and a long caption stand in lines of their own.
    lines = 1 if bar is None or letters.width(caption) + _length(bar, letters) + 3 * size < width else 2
    sheet = Image.new("RGB", (width, height + round(size * 3.2 * lines)), _SHEET)
    sheet.paste(shown, (0, 0))
    draw = ImageDraw.Draw(sheet)
    letters.draw(draw, size, height + size * 1.6, caption, _INK)
    if bar is not None:
        _draw_bar(draw, bar, letters, width - size - bar.length_px, height + size * (3.2 * lines - 1.6), size, _INK)
    return sheet


def _length(bar: ScaleBar, letters: Lettering) -> float:
    return max(bar.length_px, letters.width(bar.label))


def _draw_bar(
    draw: ImageDraw.ImageDraw, bar: ScaleBar, letters: Lettering, left: float, middle: float, size: int, ink: Ink,
    rim: Ink | None = None,
) -> None:  # fmt: skip
    """A bar from ``left`` on with its length above, both around ``middle``; on a picture with a ``rim``."""
    right, thick, rim_px = left + bar.length_px, max(2, size // 4), max(1, size // 14) if rim else 0
    start = (left + right - letters.width(bar.label)) / 2
    letters.draw(draw, start, middle - size * 0.35, bar.label, ink, rim, rim_px)
    box = (round(left), round(middle + size * 0.6), round(right) - 1, round(middle + size * 0.6) + thick)
    if rim:
        draw.rectangle((box[0] - rim_px, box[1] - rim_px, box[2] + rim_px, box[3] + rim_px), rim)
    draw.rectangle(box, ink)


def _in_the_picture(shown: Image.Image, bar: ScaleBar, look: BarLook, letters: Lettering, size: int) -> None:
    long, tall = _length(bar, letters), size * 2.2
    left = size if look.place.endswith("left") else shown.width - size - long
    top = size if look.place.startswith("top") else shown.height - size - tall
    ink = _WHITE if look.colour == "white" else _BLACK
    if look.colour == "by what lies beneath":
        beneath = shown.crop((round(left), round(top), round(left + long), round(top + tall))).convert("L")
        ink = _WHITE if np.asarray(beneath).mean() < _MIDDLE else _BLACK
    draw = ImageDraw.Draw(shown)
    # Whatever lies beneath is lighter in one place and darker in another.
    rim = _BLACK if ink == _WHITE else _WHITE
    _draw_bar(draw, bar, letters, left + (long - bar.length_px) / 2, top + tall / 2, size, ink, rim)


def csv_table(head: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """CSV as RFC 4180 has it. A text that a spreadsheet would run as a formula gets a leading apostrophe."""
    out = StringIO()
    writer = csv.writer(out)
    writer.writerow(head)
    writer.writerows([_harmless(cell) for cell in row] for row in rows)
    return out.getvalue()


def _harmless(cell: object) -> object:
    return f"'{cell}" if isinstance(cell, str) and cell[:1] in ("=", "+", "-", "@", "\t") else cell
