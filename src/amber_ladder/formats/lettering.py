"""Text on exported pictures, in the fonts that ship with the pages; what those lack is set in Debian's."""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from fontTools.ttLib import TTFont
from PIL import ImageDraw, ImageFont

Ink = tuple[int, int, int]

_SHIPPED = ("latin", "latin-ext")
_DEBIAN = (
    Path("/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf"),
    Path("/usr/share/fonts/truetype/droid/DroidSansFallbackFull.ttf"),  # Chinese, Japanese, Korean
)


def shipped_fonts(pages: Path) -> list[Path]:
    """The text font's files among the built pages, for Latin first, then for the rest of Latin."""
    assets = pages / "assets"
    found = (sorted(assets.glob(f"atkinson-hyperlegible-next-{part}-wght-normal*.woff2")) for part in _SHIPPED)
    return [files[0] for files in found if files]


@dataclass(frozen=True, slots=True)
class _Face:
    font: ImageFont.FreeTypeFont
    characters: frozenset[int]


class Lettering:
    """Text of one size, in px. ``pages`` is the folder with the built pages."""

    def __init__(self, pages: Path, size_px: int) -> None:
        paths = [*shipped_fonts(pages), *(path for path in _DEBIAN if path.is_file())]
        self._faces = [_Face(ImageFont.truetype(str(path), size_px), _characters(path)) for path in paths]
        if not self._faces:
            raise FileNotFoundError(f"no font lies in {pages / 'assets'}: build the pages")

    def draw(
        self, draw: ImageDraw.ImageDraw, left: float, middle: float, text: str, ink: Ink, rim: Ink | None = None,
        rim_px: int = 0,
    ) -> None:  # fmt: skip
        """Write one line from ``left``, its capitals centred on ``middle``, with a ``rim`` around it if it has one."""
        baseline = middle + 0.35 * self._faces[0].font.size
        for face, part in self._parts(text):
            draw.text(
                (left, baseline), part, fill=ink, font=face.font, anchor="ls", stroke_width=rim_px, stroke_fill=rim
            )
            left += face.font.getlength(part)

    def width(self, text: str) -> float:
        """How long a line comes out, px."""
        return sum(face.font.getlength(part) for face, part in self._parts(text))

    def _parts(self, text: str) -> list[tuple[_Face, str]]:
        """The text in stretches, each in the first face that has all of it."""
        parts = list[tuple[_Face, str]]()
        for character in text:
            face = next((one for one in self._faces if ord(character) in one.characters), self._faces[0])
            if parts and parts[-1][0] is face:
                parts[-1] = (face, parts[-1][1] + character)
            else:
                parts.append((face, character))
        return parts


@lru_cache(maxsize=16)
def _characters(path: Path) -> frozenset[int]:
    with TTFont(path, lazy=True) as font:
        return frozenset(font.getBestCmap())
