"""Merges as instruments: opened once, and kept at hand while they are measured on."""

from functools import lru_cache
from math import hypot
from pathlib import Path

import numpy as np
import tifffile
from numpy.typing import NDArray

from amber_ladder.core.measuring import of_tolerance
from amber_ladder.core.optics import paraxial_focus_ratio, resolve, rim_focus_ratio
from amber_ladder.errors import BadInput, NotFound
from amber_ladder.formats.measures_json import FocusedBy, MediumJson, ScaleJson
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import Session
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Product
from amber_ladder.work.merge.merges import KIND as MERGE
from amber_ladder.work.on_disk.measuring import Known, instrument_of
from amber_ladder.work.on_disk.merge_result import read_merge
from amber_ladder.work.stack.scale import scale_of_merge
from amber_ladder.work.stack.views import stack_plan, stack_rig

_INDEX_TOLERANCE = 0.01
"""Half-width for the refractive index of a medium as it is entered: from tables, at whatever temperature."""


def finished(session: Session, merge_id: int) -> Product:
    """A finished merge. Raises NotFound."""
    merge = stacks.get_product(session, merge_id, MERGE)
    if merge.files is None:
        raise NotFound(f"merge {merge_id} is not finished: it cannot be measured on yet")
    return merge


def instrument(merge: Product) -> Known:
    """What a measure on a merge rests on, as far as its stack tells now. Raises BadInput."""
    stack, scale = merge.take.stack, scale_of_merge(merge)
    if scale is None:
        raise BadInput(
            "no scale is known: the frames have not the pixels of the rig's sensor. Shoot a ruling with the same frames"
        )
    rig = stack_rig(stack)
    moves: FocusedBy = "rail" if stack_plan(stack).moves == "rail" else "ring"
    return _opened(
        FrameStore(settings().data).product_folder(merge.id),
        ScaleJson(um_per_px=scale.um_per_px, u_um_per_px=scale.u_um_per_px).model_dump_json(),
        rig.medium_index,
        resolve(rig.to_core()).numerical_aperture,
        moves,
    )


@lru_cache(maxsize=4)
def _opened(folder: Path, scale_json: str, index: float, na: float, moves: FocusedBy) -> Known:
    scale, unsure, assumed = ScaleJson.model_validate_json(scale_json), 0.0, []
    if index > 1.0:
        # Focus in a medium lies somewhere between that of rays near the axis and of those at the rim.
        apart = index * abs(rim_focus_ratio(na, index) / paraxial_focus_ratio(index) - 1.0)
        unsure = hypot(of_tolerance(_INDEX_TOLERANCE), of_tolerance(apart))
        assumed.append(f"the medium's index is known to {_INDEX_TOLERANCE:g}")
        assumed.append("focus in it lies between that of rays near the axis and at the rim")
    known = instrument_of(
        read_merge(folder), scale=scale, medium=MediumJson(index=index, u_index=unsure), focused_by=moves
    )
    whence = "measured" if scale.u_um_per_px is not None else "nominal"
    return Known(known.instrument, whence, (*known.assumed, *assumed))


def retouched(merge: Product, places: NDArray[np.float64]) -> list[str]:
    """The names of mended pictures of a merge that were retouched at one of these places (N, 2) px."""
    made = [one for one in merge.take.products if one.parent_id == merge.id and one.kind == "mend" and one.files]
    return [
        str(one.settings.get("name") or f"mend {one.number}")
        for one in made
        if _touched(FrameStore(settings().data).product_folder(one.id) / "changed.tif", places)
    ]


def _touched(path: Path, places: NDArray[np.float64]) -> bool:
    if not path.is_file() or not len(places):
        return False
    kinds = _marks(path, path.stat().st_mtime_ns)
    column = np.clip(np.rint(places[:, 0]).astype(int), 0, kinds.shape[1] - 1)
    row = np.clip(np.rint(places[:, 1]).astype(int), 0, kinds.shape[0] - 1)
    found = kinds[row, column]
    # Tones change no size; all else shows what other pixels showed.
    return bool(((found > 0) & (found < 5)).any())


@lru_cache(maxsize=2)
def _marks(path: Path, _changed_at: int) -> NDArray[np.uint8]:
    return np.asarray(tifffile.imread(path), np.uint8)
