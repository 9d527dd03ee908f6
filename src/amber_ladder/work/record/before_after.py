"""A merge and what was mended of it, both whole and at one scale, on one sheet."""

from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring import ScaleBar
from amber_ladder.formats.exports import BarLook, eight_bits, picture_file, screen_letter_px, with_bar
from amber_ladder.formats.pictures import colour_profile, read_picture
from amber_ladder.formats.side_by_side import beside
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.record.notes import notes_of
from amber_ladder.work.record.records import MendedLine, finished, label_of, mended_line, mended_of, steps_of
from amber_ladder.work.record.rights import rights_of

_MOST_PX = 3000  # across each of the two: a sheet is to be looked at, the pictures themselves are saved beside it


def before_and_after(merge_id: int, mended_id: int) -> tuple[bytes, str]:
    """A PNG with the merge on the left and the mended picture on the right, what was changed, and one scale bar.

    Raises NotFound.
    """
    with transaction(steady=True) as session:
        merge = finished(stacks.get_product(session, merge_id, "merge"))
        mended = mended_of(session, merge_id, mended_id)
        shown, crop = label_of(merge), (merge.report or {})["crop"]
        notes = notes_of(merge, shown, rights_of(session, merge.take.stack_id))
        caption = notes.title if shown.scale_from == "measured" else f"{notes.title}   ({_unsure(shown.bar)})"
        name = f"{shown.file_stem}_mend{mended.number}_before-after.png"
    store = FrameStore(settings().data)
    source = store.product_folder(merge_id) / "composite.tif"
    before = read_picture(source)[crop["y"] : crop["y"] + crop["height"], crop["x"] : crop["x"] + crop["width"]]
    after = read_picture(store.product_folder(mended_id) / "composite.tif")
    smaller = min(1.0, _MOST_PX / max(before.shape[1], after.shape[1]))
    bar = shown.bar and replace(shown.bar, length_px=shown.bar.length_px * smaller)
    labels = f"Merge {merge.number}, as merged", _what_was_done(mended_line(mended))
    pair = beside(_shrunk(before, smaller), _shrunk(after, smaller), labels, pages=settings().pages)
    look = BarLook(letter_px=screen_letter_px(pair.shape[1] // 2))
    sheet = with_bar(pair, bar, caption, look, pages=settings().pages)
    content = picture_file(
        sheet, "PNG", um_per_px=shown.um_per_px and shown.um_per_px / smaller, colour_profile=colour_profile(source),
        notes=replace(notes, made_by=f"{notes.made_by}; as merged, and as mended"),
    )  # fmt: skip
    return content, name


def _unsure(bar: ScaleBar | None) -> str:
    return "scale nominal" if bar else "scale not known"


def _what_was_done(line: MendedLine) -> str:
    changed = sum(share for kind, share in line.changed.items() if kind != "tone")
    healed = f", {line.not_evidence:.2%} not evidence" if line.not_evidence else ""
    return f"{line.name}, {steps_of(line)}: {changed:.2%} of its pixels replaced{healed}"


def _shrunk(picture: NDArray[Any], smaller: float) -> NDArray[np.uint8]:
    if smaller == 1.0:
        return eight_bits(picture)
    size = max(1, round(picture.shape[1] * smaller)), max(1, round(picture.shape[0] * smaller))
    return eight_bits(np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA)))
