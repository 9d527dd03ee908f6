"""What the page of a mend looks at: tiles as mended, what was painted, single frames, and which is sharpest where."""

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Annotated, Literal

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from amber_ladder.core.mending import Box, Kind, sharpest
from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.formats.mend_json import BEST, FromFrame, Place
from amber_ladder.formats.rig_json import Strict
from amber_ladder.formats.side_by_side import side_by_side
from amber_ladder.formats.tiles import full_jpeg, marks_png
from amber_ladder.settings import settings
from amber_ladder.store import mends, stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.mend.desk import UNTOUCHED, Pixels, name_of_block, opened, rack_of
from amber_ladder.work.mend.mends import shown
from amber_ladder.work.merge.merges import KIND as MERGE
from amber_ladder.work.on_disk.paint_rack import read_details
from amber_ladder.work.stack.naming import file_stem

Marks = Literal["seams", "clipped"]
_SEAM, _HEALED, _GROUND = (127, 208, 216, 255), (255, 90, 78, 255), (127, 208, 216, 150)
_WHITE, _BLACK = (255, 90, 78, 255), (127, 208, 216, 255)
_MOST_SIDE_PX = 4_000


@dataclass(frozen=True, slots=True)
class Tile:
    """An encoded tile; ``lasts`` where it shows just what was asked for by name, and may be kept for good."""

    picture: bytes
    lasts: bool


@dataclass(frozen=True, slots=True)
class SharpestView:
    """A frame of the merge, and how much detail it shows at a place, as a share of what the best one shows."""

    frame_id: int
    file: str
    figure: float


@dataclass(frozen=True, slots=True)
class ProposedPart:
    """The frame that shows a part best, the way from base to tip in it, and a brush for it."""

    frame_id: int
    file: str
    path: list[tuple[float, float]]
    radius_px: float
    figures: dict[str, float]


class BaseAndTip(Strict):
    """Base and tip of a part, px of the merge."""

    base: Place
    tip: Place


class SideEntry(Strict):
    """A box of the picture, px of the merge."""

    x_px: Annotated[int, Field(ge=0)]
    y_px: Annotated[int, Field(ge=0)]
    width_px: Annotated[int, Field(ge=16, le=_MOST_SIDE_PX)]
    height_px: Annotated[int, Field(ge=16, le=_MOST_SIDE_PX)]


def tile(mend_id: int, key: str, level: int, column: int, row: int) -> Tile:
    """A JPEG of a tile of the mended picture, made smaller by 2 to the ``level``. Raises NotFound beyond it."""
    there, steps = shown(mend_id)
    keys = there.keys(steps)
    _within(there.block(level, column, row))

    def of(box: Box) -> Pixels:
        return there.tile(steps, keys[box.top // there.tile_px][box.left // there.tile_px], box)[0]

    return Tile(full_jpeg(there.shrunk(of, level, column, row)), name_of_block(keys, level, column, row) == key)


def marks(mend_id: int, what: Marks, key: str, level: int, column: int, row: int) -> Tile:
    """A transparent PNG over a tile: seams of what was painted, or where tones are clipped. Raises NotFound."""
    there, steps = shown(mend_id)
    keys = there.keys(steps)
    _within(there.block(level, column, row))

    def of(box: Box) -> Pixels:
        pixels, kinds = there.tile(steps, keys[box.top // there.tile_px][box.left // there.tile_px], box)
        return _seams(kinds) if what == "seams" else _clipped(pixels)

    made = there.shrunk(of, level, column, row)
    return Tile(marks_png(made), name_of_block(keys, level, column, row) == key)


def laid(merge_id: int, frame_id: int, level: int, column: int, row: int) -> bytes:
    """A JPEG of a tile of a frame, laid on the merge as that had it. Raises NotFound, BadInput for one left out."""
    there = opened(merge_id)
    with transaction(steady=True) as session:
        name = stacks.get_frame(session, frame_id).name
    if name not in there.merge.placed:
        raise BadInput(f"{name} was left out of this merge: paint from another frame")
    _within(there.block(level, column, row))
    return full_jpeg(there.shrunk(lambda box: there.laid(name, box), level, column, row))


def plain(merge_id: int, level: int, column: int, row: int) -> bytes:
    """A JPEG of a tile of the merge itself. Raises NotFound beyond it."""
    there = opened(merge_id)
    _within(there.block(level, column, row))
    return full_jpeg(there.shrunk(lambda box: there.tile([], UNTOUCHED, box)[0], level, column, row))


def sharpest_here(merge_id: int, x_px: float, y_px: float, radius_px: float) -> list[SharpestView]:
    """The four frames that show most detail about a place. Raises NotFound, Conflict while that is looked up."""
    with transaction(steady=True) as session:
        merge = stacks.get_product(session, merge_id, MERGE)
        rack = rack_of(session, merge_id)
        if rack is None or rack.report is None:
            raise Conflict("the frames are still being looked at: which is sharpest is known once that is done")
        rack_id, files = rack.id, rack.report["files"]
        ids = {frame.name: frame.id for frame in merge.take.frames}
    details = _details(FrameStore(settings().data).product_folder(rack_id))
    found = sharpest(details, (x_px, y_px), radius_px)
    return [SharpestView(ids[files[one.place]], files[one.place], round(one.figure, 3)) for one in found]


def propose_part(merge_id: int, entry: BaseAndTip) -> ProposedPart:
    """The frame and the way for a part that moved, from its base and tip. Raises NotFound, BadInput where none is."""
    there = opened(merge_id)
    step = FromFrame(kind="from_frame", file=BEST, path=[entry.base, entry.tip], radius_px=8)
    there.maker.checked(step)
    done, said = there.maker.proposed(step)
    with transaction(steady=True) as session:
        merge = stacks.get_product(session, merge_id, MERGE)
        ids = {frame.name: frame.id for frame in merge.take.frames}
    told = said["chosen"]
    return ProposedPart(ids[done.file], done.file, list(done.path), told["half_width_px"], told["detail"])


def before_and_after(mend_id: int, entry: SideEntry) -> bytes:
    """A PNG of a box as merged and as mended, side by side at 1:1, with labels. Raises NotFound, BadInput outside."""
    there, steps = shown(mend_id)
    box = Box(entry.x_px, entry.y_px, entry.x_px + entry.width_px, entry.y_px + entry.height_px)
    if box != box.within(there.whole):
        raise BadInput(f"the box reaches beyond the picture of {there.whole.right} × {there.whole.bottom} px")
    with transaction(steady=True) as session:
        mend = mends.get(session, mend_id)
        take, specimen = mend.take, mend.take.stack.specimen
        what = f"{specimen.catalogue_number} {specimen.name}, take {take.number}"
        names = f"merge {mend.merge.number}, as merged", f"{mend.name}, {len(steps)} steps"
    before = there.merge.composite[there.whole.part(box)]
    after = np.empty_like(before)
    mended, keys = there.mended(steps), there.keys(steps)
    for top in range(box.top - box.top % there.tile_px, box.bottom, there.tile_px):
        for left in range(box.left - box.left % there.tile_px, box.right, there.tile_px):
            one = Box(left, top, left + there.tile_px, top + there.tile_px).within(there.whole)
            part = one.within(box)
            if keys[top // there.tile_px][left // there.tile_px] == UNTOUCHED:
                after[box.part(part)] = there.merge.composite[there.whole.part(part)]
            else:
                after[box.part(part)] = mended.tile(one)[0][one.part(part)]
    return side_by_side(before, after, names, f"{what}. Originals and merge are unchanged.", pages=settings().pages)


def mended_file(product_id: int, name: str) -> tuple[Path, str]:
    """A file of a mend that was written, and the name to save it under. Raises NotFound."""
    with transaction(steady=True) as session:
        product = stacks.get_product(session, product_id, "mend")
        if product.files is None or name not in product.files:
            raise NotFound(f"this mend has no {name} yet: it is not written")
        assert product.parent_id is not None, "every mend is one of a merge"
        stem = file_stem(stacks.get_product(session, product.parent_id, MERGE))
    return FrameStore(settings().data).product_folder(product_id) / name, f"{stem}_mend{product.number}_{name}"


@lru_cache(maxsize=8)
def _details(folder: Path) -> NDArray[np.float16]:
    # What was looked up never changes once it is there.
    return read_details(folder)


def _within(block: list[list[Box]]) -> None:
    if not block:
        raise NotFound("there is no such tile")


def _seams(kinds: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Thin lines around what was changed (h, w, 4), and all that is no evidence."""
    told = np.where(kinds == Kind.TONE, np.uint8(0), kinds)
    edge = cv2.morphologyEx(told, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8)) > 0
    made = np.zeros((*kinds.shape, 4), np.uint8)
    made[edge] = _SEAM
    made[edge & (told == Kind.GROUND)] = _GROUND
    healed = told == Kind.HEALED
    stripes = (np.indices(kinds.shape).sum(axis=0) % 6) < 2
    made[healed & (stripes | edge)] = _HEALED
    return made


def _clipped(pixels: Pixels) -> NDArray[np.uint8]:
    made = np.zeros((*pixels.shape[:2], 4), np.uint8)
    made[(pixels == 0).all(axis=2)] = _BLACK
    made[(pixels == 255).any(axis=2)] = _WHITE
    return made
