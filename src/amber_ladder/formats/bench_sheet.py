"""One printable page with everything that is needed at the bench: as HTML for a browser, or as PDF."""

from dataclasses import dataclass
from pathlib import Path

from amber_ladder.core.planning import DEFER, Caution
from amber_ladder.formats.sheets import as_pdf, sheet_html

_DRAWN_HEIGHT, _DRAWN_TOP = 284.0, 8.0  # of the drawing's own units


@dataclass(frozen=True, slots=True)
class DrawnRung:
    """A rung and its sharp band, in the drawing's units."""

    y: float
    top: float
    height: float


@dataclass(frozen=True, slots=True)
class Mark:
    """A marked depth, in the drawing's units."""

    y: float
    label: str


@dataclass(frozen=True, slots=True)
class BenchSheet:
    """What stands on the sheet, as text that is ready to be read."""

    number: str
    name: str
    stack: int
    under: str
    headline: str
    columns: list[list[tuple[str, list[tuple[str, str]]]]]
    drawn: list[DrawnRung]
    marks: list[Mark]
    warnings: list[str]
    checklist: list[str]
    cautions: list[Caution]
    rungs: list[str]
    rung_unit: str


def drawn_ladder(
    positions_um: list[float], sharp_um: float, marks: list[tuple[float, str]]
) -> tuple[list[DrawnRung], list[Mark]]:
    """Rungs and marked depths (stage readings) as they stand in the drawing, nearest on top."""
    first, length = positions_um[0], max(positions_um[-1] - positions_um[0], 1e-9)

    def y(position_um: float) -> float:
        return round(_DRAWN_TOP + (position_um - first) / length * _DRAWN_HEIGHT, 2)

    half = sharp_um / 2 / length * _DRAWN_HEIGHT
    rungs = [DrawnRung(y(one), round(y(one) - half, 2), round(2 * half, 2)) for one in positions_um]
    return rungs, [Mark(y(at), label) for at, label in marks]


def bench_sheet_html(sheet: BenchSheet, *, pages: Path, pdf_url: str | None) -> str:
    """The sheet as a page; ``pages`` is the folder with the built pages, where the fonts lie."""
    served = pdf_url is not None
    return sheet_html("bench_sheet.html.j2", pages, served=served, s=sheet, defer=DEFER, pdf_url=pdf_url)


def bench_sheet_pdf(sheet: BenchSheet, *, pages: Path) -> bytes:
    """The sheet as PDF."""
    return as_pdf(bench_sheet_html(sheet, pages=pages, pdf_url=None))
