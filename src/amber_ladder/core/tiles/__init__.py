"""Pictures that overlap, laid together: where each lies, how sure that is at every seam, one picture and depth map."""

from amber_ladder.core.tiles._laid import Laid, bounds, laid_rows
from amber_ladder.core.tiles._light import even_light
from amber_ladder.core.tiles._match import Match, match
from amber_ladder.core.tiles._places import Overlap, Placed, Seam, even_depths, place

__all__ = [
    "Laid",
    "Match",
    "Overlap",
    "Placed",
    "Seam",
    "bounds",
    "even_depths",
    "even_light",
    "laid_rows",
    "match",
    "place",
]
