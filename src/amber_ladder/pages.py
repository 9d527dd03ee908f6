"""Where the built pages lie, with the fonts in which pictures are lettered."""

from pathlib import Path

PAGES = Path(__file__).resolve().parents[2] / "web" / "dist"
