"""One printable page with everything that is needed at the bench: as HTML for a browser, or as PDF."""

import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

from jinja2 import Environment, FileSystemLoader, StrictUndefined

from amber_ladder.core.planning import DEFER, Caution
from amber_ladder.formats.lettering import shipped_fonts

_HERE = Path(__file__).parent
_TEMPLATES = Environment(loader=FileSystemLoader(_HERE), autoescape=True, undefined=StrictUndefined, trim_blocks=True)
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
    return _TEMPLATES.get_template("bench_sheet.html.j2").render(
        s=sheet,
        defer=DEFER,
        pdf_url=pdf_url,
        fonts=[f"/assets/{font.name}" if pdf_url else font.as_uri() for font in shipped_fonts(pages)],
    )


def bench_sheet_pdf(sheet: BenchSheet, *, pages: Path) -> bytes:
    """The sheet as PDF."""
    page = bench_sheet_html(sheet, pages=pages, pdf_url=None).encode()
    # In a process of its own: WeasyPrint lets Pillow take truncated pictures from then on, wherever it is imported.
    command = [sys.executable, "-m", "weasyprint", "-", "-"]
    return subprocess.run(command, input=page, capture_output=True, check=True, timeout=60).stdout
