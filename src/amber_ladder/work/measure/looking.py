"""What the page of measures looks at beside the picture: edges near a place."""

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from pydantic import Field

from amber_ladder.core.frames import to_grey
from amber_ladder.core.measuring import snapped_to_edge
from amber_ladder.errors import BadInput
from amber_ladder.formats.rig_json import Strict
from amber_ladder.settings import settings
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.measure.instruments import finished
from amber_ladder.work.on_disk.merge_result import read_merge

_MARGIN_PX = 24


class SnapEntry(Strict):
    """A place of the picture, px."""

    x: Annotated[float, Field(ge=-1, le=65_000, allow_inf_nan=False)]
    y: Annotated[float, Field(ge=-1, le=65_000, allow_inf_nan=False)]


@dataclass(frozen=True, slots=True)
class SnapView:
    """The place of the nearest edge, px; None where there is none near by."""

    place: tuple[float, float] | None


def snapped(merge_id: int, entry: SnapEntry) -> SnapView:
    """The edge nearest to a place. Raises NotFound, and BadInput for a place outside the picture."""
    with transaction(steady=True) as session:
        folder = FrameStore(settings().data).product_folder(finished(session, merge_id).id)
    picture = read_merge(folder).composite
    height, width = picture.shape[:2]
    if not (-0.5 <= entry.x <= width - 0.5 and -0.5 <= entry.y <= height - 0.5):
        raise BadInput(f"{entry.x:g}, {entry.y:g} lies outside the picture of {width} × {height} px")
    left, top = max(round(entry.x) - _MARGIN_PX, 0), max(round(entry.y) - _MARGIN_PX, 0)
    part = np.ascontiguousarray(picture[top : top + 2 * _MARGIN_PX + 1, left : left + 2 * _MARGIN_PX + 1])
    found = snapped_to_edge(to_grey(part, 1), entry.x - left, entry.y - top)
    return SnapView(None if found is None else (found[0] + left, found[1] + top))
