"""The picture as it leaves the house: cropped, with its caption and a scale bar as it is asked for."""

from typing import Annotated, Literal

import cv2
import numpy as np
from PIL import Image
from pydantic import Field

from amber_ladder.core.measuring import ScaleBar, bar_of
from amber_ladder.errors import BadInput
from amber_ladder.formats.exports import (
    BarColour,
    BarLook,
    BarPlace,
    picture_file,
    screen_letter_px,
    with_bar,
)
from amber_ladder.formats.picture_notes import PictureNotes
from amber_ladder.formats.pictures import colour_profile, read_picture
from amber_ladder.formats.rig_json import Strict
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.record.notes import notes_of
from amber_ladder.work.record.records import RecordView, finished, label_of
from amber_ladder.work.record.rights import rights_of

_LETTER_MM = 2.5  # as printed: seven points
_PREVIEW_PX = 960
_LONGEST, _SHORTEST_PX = 0.9, 3.0  # of the picture's width


class BarEntry(Strict):
    """A scale bar: how long (as it fits where that is left open), where, of what colour, and for what.

    ``printed_mm`` is how wide the picture will be printed, so that its letters can be read there; without it they are
    for a screen.
    """

    bar_um: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)] | None = None
    bar_at: BarPlace = "below"
    bar_colour: BarColour = "by what lies beneath"
    printed_mm: Annotated[float, Field(ge=20, le=2000, allow_inf_nan=False)] | None = None


def picture(merge_id: int, kind: Literal["png", "jpg"], entry: BarEntry | None = None) -> tuple[bytes, str]:
    """The composite, cropped to what all frames share, with caption, scale bar, and notes of whose it is.

    Raises NotFound, BadInput for a bar that does not fit.
    """
    sheet, shown, notes = _sheet(merge_id, entry or BarEntry(), None)
    content = picture_file(
        sheet, "PNG" if kind == "png" else "JPEG", um_per_px=shown.um_per_px,
        colour_profile=colour_profile(FrameStore(settings().data).product_folder(merge_id) / "composite.tif"),
        notes=notes,
    )  # fmt: skip
    return content, f"{shown.file_stem}.{kind}"


def preview(merge_id: int, entry: BarEntry) -> bytes:
    """The same, small, as JPEG: to see what the bar looks like. Raises NotFound, BadInput."""
    sheet, _, _ = _sheet(merge_id, entry, _PREVIEW_PX)
    return picture_file(sheet, "JPEG", um_per_px=None)


def _sheet(merge_id: int, entry: BarEntry, most_px: int | None) -> tuple[Image.Image, RecordView, PictureNotes]:
    with transaction(steady=True) as session:
        merge = finished(stacks.get_product(session, merge_id, "merge"))
        shown, crop = label_of(merge), (merge.report or {})["crop"]
        specimen, notes = merge.take.stack.specimen, notes_of(merge, shown, rights_of(session, merge.take.stack_id))
        caption = f"{specimen.catalogue_number}  {specimen.name}"
    bar, width = _bar(shown, entry), crop["width"]
    letter_px = _LETTER_MM * width / entry.printed_mm if entry.printed_mm else screen_letter_px(width)
    if shown.scale_from != "measured":
        caption += "   (scale nominal)" if shown.bar else "   (scale not known)"
        if bar and entry.bar_at != "below":  # there is no caption there to say so
            bar = ScaleBar(bar.length_um, bar.length_px, f"{bar.label}, nominal")
    source = FrameStore(settings().data).product_folder(merge_id) / "composite.tif"
    pixels = read_picture(source)[crop["y"] : crop["y"] + crop["height"], crop["x"] : crop["x"] + width]
    if most_px and width > most_px:
        smaller = most_px / width
        size = (most_px, max(1, round(crop["height"] * smaller)))
        pixels, letter_px = np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)), letter_px * smaller
        bar = bar and ScaleBar(bar.length_um, bar.length_px * smaller, bar.label)
    look = BarLook(entry.bar_at, entry.bar_colour, letter_px)
    return with_bar(pixels, bar, caption, look, pages=settings().pages), shown, notes


def _bar(shown: RecordView, entry: BarEntry) -> ScaleBar | None:
    """The bar that is asked for; None without a scale. Raises BadInput for one that is longer than the picture."""
    if entry.bar_um is None or shown.um_per_px is None:
        return shown.bar
    bar = bar_of(entry.bar_um, shown.um_per_px)
    if bar.length_px > _LONGEST * shown.width_px:
        wide = bar_of(float(f"{shown.width_px * shown.um_per_px:.3g}"), shown.um_per_px).label
        raise BadInput(f"a bar of {bar.label} does not fit: the picture is {wide} wide", field="bar_um")
    if bar.length_px < _SHORTEST_PX:
        raise BadInput(
            f"a bar of {bar.label} would be {bar.length_px:.1f} px long: nobody could see it", field="bar_um"
        )
    return bar
