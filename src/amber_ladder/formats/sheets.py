"""Printable sheets: templates filled in as HTML for a browser, and as PDF."""

import subprocess
import sys
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader, StrictUndefined

from amber_ladder.formats.lettering import shipped_fonts

_HERE = Path(__file__).parent
_TEMPLATES = Environment(loader=FileSystemLoader(_HERE), autoescape=True, undefined=StrictUndefined, trim_blocks=True)


def sheet_html(template: str, pages: Path, *, served: bool, **told: Any) -> str:
    """A sheet; ``pages`` is the folder with the built pages, where the fonts lie, from which they may be ``served``."""
    fonts = [f"/assets/{font.name}" if served else font.as_uri() for font in shipped_fonts(pages)]
    return _TEMPLATES.get_template(template).render(fonts=fonts, **told)


def as_pdf(page: str) -> bytes:
    """A sheet whose fonts are not served, as PDF."""
    # In a process of its own: WeasyPrint lets Pillow take truncated pictures from then on, wherever it is imported.
    command = [sys.executable, "-m", "weasyprint", "-", "-"]
    return subprocess.run(command, input=page.encode(), capture_output=True, check=True, timeout=60).stdout
