"""The record of a merge on paper: picture with bar, figures, ladder with shares, measures, history, checksums."""

from base64 import b64encode
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path

from PIL import Image

from amber_ladder.formats.sheets import as_pdf, sheet_html

_TOP, _TALL, _WIDE = 8.0, 284.0, 72.0  # of the drawing's own units
_WIDEST_PX = 1800  # as much as a printer shows over the width of a sheet


@dataclass(frozen=True, slots=True)
class SharedRung:
    """A rung in the drawing's units: its height, and how long its bar is; None for one that was left out."""

    y: float
    share: float | None
    thick: float


@dataclass(frozen=True, slots=True)
class MeasuredLine:
    """A measure as it is written on the slip."""

    name: str
    value: str
    notes: str


@dataclass(frozen=True, slots=True)
class RecordSheet:
    """What stands on the sheet, ready to be read. ``picture`` is an address that holds the picture itself."""

    number: str
    name: str
    under: str
    picture: str
    facts: list[tuple[str, str]]
    rungs: list[SharedRung]
    ladder_words: str
    measures: list[MeasuredLine]
    history: list[tuple[str, str, str]]
    sums: str


def inline_picture(jpeg: bytes) -> str:
    """A picture as an address that holds it, no wider than a printer shows."""
    picture = Image.open(BytesIO(jpeg))
    picture.thumbnail((_WIDEST_PX, _WIDEST_PX))
    out = BytesIO()
    picture.save(out, "JPEG", quality=88, subsampling=0)
    return f"data:image/jpeg;base64,{b64encode(out.getvalue()).decode()}"


def shared_rungs(shares: list[float | None]) -> list[SharedRung]:
    """Rungs, the nearest on top, with bars against the largest share; None for what was left out."""
    most = max((one for one in shares if one is not None), default=0.0) or 1.0
    pitch = _TALL / max(len(shares) - 1, 1)
    thick = round(min(0.6 * pitch, 6.0), 2)
    return [
        SharedRung(round(_TOP + place * pitch, 2), None if one is None else round(_WIDE * one / most, 2), thick)
        for place, one in enumerate(shares)
    ]


def record_sheet_pdf(sheet: RecordSheet, *, pages: Path) -> bytes:
    """The sheet as PDF."""
    return as_pdf(sheet_html("record_sheet.html.j2", pages, served=False, s=sheet))
