"""Pictures that overlap, laid together: where each lies, how sure that is at every seam, one picture and depth map."""

from amber_ladder.core.tiles._covered import inner_box
from amber_ladder.core.tiles._laid import Laid, Tile, bounds, laid_rows
from amber_ladder.core.tiles._light import even_light
from amber_ladder.core.tiles._match import Match, match
from amber_ladder.core.tiles._places import (
    Overlap,
    Perspective,
    Placed,
    Seam,
    depth_around,
    even_depths,
    place,
    with_depths,
)
from amber_ladder.core.tiles._planned import Order, TileGrid, TilePlace, place_in_grid, tiles_along

__all__ = [
    "Laid",
    "Match",
    "Order",
    "Overlap",
    "Perspective",
    "Placed",
    "Seam",
    "Tile",
    "TileGrid",
    "TilePlace",
    "bounds",
    "depth_around",
    "even_depths",
    "even_light",
    "inner_box",
    "laid_rows",
    "match",
    "place",
    "place_in_grid",
    "tiles_along",
    "with_depths",
]
