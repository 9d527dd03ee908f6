"""The relief of a merge, to be turned on the page: its surface, and the picture that lies on it."""

from dataclasses import dataclass

import cv2
import numpy as np

from amber_ladder.core.measuring import relief
from amber_ladder.errors import BadInput
from amber_ladder.formats.exports import picture_file
from amber_ladder.settings import settings
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.measure.instruments import finished, instrument
from amber_ladder.work.on_disk.merge_result import read_merge

_MOST_CORNERS = 25_000
"""As many as a browser that draws without a graphics card turns at 15 pictures a second."""
_MOST_TEXTURE_PX = 2048


@dataclass(frozen=True, slots=True)
class Part:
    """A rectangle of the picture, px."""

    x: int
    y: int
    width: int
    height: int


def surface(merge_id: int, part: Part | None) -> bytes:
    """The surface of a merge, or of a part of it, in as many corners as can be turned.

    Little-endian: the number of corners, of triangles, and the px from corner to corner (uint32 each); corners (N, 3)
    as float32, µm to the right, upwards and towards the camera from the nearest frame; their places (N, 2) as float32
    px; triangles (M, 3) as uint32. Raises NotFound, and BadInput where no depth is known or the part lies outside.
    """
    with transaction(steady=True) as session:
        known = instrument(finished(session, merge_id)).instrument
    if known.depth_um is None:
        raise BadInput("nothing is known of depth in µm here: there is no relief")
    box = None if part is None else _within(part, known.shape)
    found = relief(known, most_corners=_MOST_CORNERS, part=box)
    if not len(found.triangles) and part is None:
        raise BadInput("no depth is known in this merge: there is no relief")
    head = np.array([len(found.corners_um), len(found.triangles), found.every_px], "<u4")
    return b"".join(
        [
            head.tobytes(),
            found.corners_um.astype("<f4").tobytes(),
            found.places.astype("<f4").tobytes(),
            found.triangles.astype("<u4").tobytes(),
        ]
    )


def texture(merge_id: int, part: Part | None) -> bytes:
    """The picture, or a part of it, as a JPEG of 2048 px at most. Raises NotFound, and BadInput as ``surface``."""
    with transaction(steady=True) as session:
        folder = FrameStore(settings().data).product_folder(finished(session, merge_id).id)
    picture = read_merge(folder).composite
    if part is not None:
        x, y, width, height = _within(part, (picture.shape[0], picture.shape[1]))
        picture = picture[y : y + height, x : x + width]
    share = _MOST_TEXTURE_PX / max(picture.shape[:2])
    # Rows that are skipped need not be read: half as many as are needed are left out at most.
    every = max(1, int(0.5 / share))
    seen = np.ascontiguousarray(picture[::every, ::every])
    if share < 1:
        size = round(picture.shape[1] * share), round(picture.shape[0] * share)
        seen = np.asarray(cv2.resize(seen, size, interpolation=cv2.INTER_AREA))
    return picture_file(seen, "JPEG", um_per_px=None)


def _within(part: Part, shape: tuple[int, int]) -> tuple[int, int, int, int]:
    height, width = shape
    left, top = max(part.x, 0), max(part.y, 0)
    right, bottom = min(part.x + part.width, width), min(part.y + part.height, height)
    if right - left < 2 or bottom - top < 2:
        raise BadInput(f"this part lies outside the picture of {width} × {height} px")
    return left, top, right - left, bottom - top
