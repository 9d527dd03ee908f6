"""From "nearly" to a picture that can be shown: steps laid on a merge, each known, each taken back at will."""

from amber_ladder.core.mending._align import Fitted, likeness
from amber_ladder.core.mending._brush import Box, Brush, Point
from amber_ladder.core.mending._dust import Cleaned, Placed, cleaned, nearest_known
from amber_ladder.core.mending._ground import ground_by_depth, ground_like, ground_plain
from amber_ladder.core.mending._layers import Erased, Grounded, Kind, Laid, Layer, Painted, Sharpened, Toned
from amber_ladder.core.mending._mended import TILE_PX, Crop, Healed, Mended
from amber_ladder.core.mending._part import Part, propose_part
from amber_ladder.core.mending._patch import Patch, Source, cut_patch, shown_in
from amber_ladder.core.mending._sharpest import CELL_PX, Sharpness, detail_of, sharpest
from amber_ladder.core.mending._spots import Spot, chosen_frames, find_spots, widest_told_px

__all__ = [
    "CELL_PX",
    "TILE_PX",
    "Box",
    "Brush",
    "Cleaned",
    "Crop",
    "Erased",
    "Fitted",
    "Grounded",
    "Healed",
    "Kind",
    "Laid",
    "Layer",
    "Mended",
    "Painted",
    "Part",
    "Patch",
    "Placed",
    "Point",
    "Sharpened",
    "Sharpness",
    "Source",
    "Spot",
    "Toned",
    "chosen_frames",
    "cleaned",
    "cut_patch",
    "detail_of",
    "find_spots",
    "ground_by_depth",
    "ground_like",
    "ground_plain",
    "likeness",
    "nearest_known",
    "propose_part",
    "sharpest",
    "shown_in",
    "widest_told_px",
]
