"""A patch of a take's picture, merged at once with the settings at hand: to see what they do before the whole run."""

import threading
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Annotated

from pydantic import Field

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import Patch, Survey
from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.rig_json import Strict
from amber_ladder.formats.surveys import FILE, read_survey
from amber_ladder.formats.tiles import png_of
from amber_ladder.processes import yield_to_others
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.merge.merges import MergeEntry, Series, developed_frames, series_of
from amber_ladder.work.on_disk.merging import style_of

MOST_PX = 512
_KEPT_BYTES = 400_000_000
_NOT_KEPT = "what this merge was aligned by is not there, as with those of earlier versions: merge the take once more"
Box = tuple[int, int, int, int]


class PatchEntry(Strict):
    """A box of the merged picture, and how to merge it. What moved is shown as that merge shows it."""

    x_px: Annotated[int, Field(ge=0)]
    y_px: Annotated[int, Field(ge=0)]
    width_px: Annotated[int, Field(ge=16, le=MOST_PX)]
    height_px: Annotated[int, Field(ge=16, le=MOST_PX)]
    settings: MergeEntry

    @property
    def box(self) -> Box:
        """As x, y, width, height."""
        return self.x_px, self.y_px, self.width_px, self.height_px


class _Bench:
    """What was cut out last stays at hand: most likely it is merged again, in another way."""

    def __init__(self) -> None:
        self._merge_id: int | None = None
        self._found: Survey | None = None
        self._patches: dict[Box, Patch] = {}

    def merged(self, merge_id: int, series: Series, entry: PatchEntry) -> bytes:
        found = self._survey(merge_id)
        style = style_of(found, entry.settings.settings(), series.depths_um)
        patch = self._patches.pop(entry.box, None) or Patch(series.frames, found, entry.box)
        self._patches[entry.box] = patch
        while sum(one.bytes for one in self._patches.values()) > _KEPT_BYTES:
            del self._patches[next(iter(self._patches))]
        return png_of(patch.merged(style))

    def _survey(self, merge_id: int) -> Survey:
        if self._found is None or self._merge_id != merge_id:
            self._found, self._patches = None, {}
            found = read_survey(FrameStore(settings().data).product_folder(merge_id) / FILE)
            if found is None:
                raise Conflict(_NOT_KEPT)
            self._found, self._merge_id = found, merge_id
        return self._found


_BENCH = _Bench()
_ONE_AT_A_TIME = ThreadPoolExecutor(
    max_workers=1, thread_name_prefix="patch", initializer=lambda: yield_to_others(threading.get_native_id())
)


def try_patch(merge_id: int, entry: PatchEntry) -> bytes:
    """A PNG of a box of a merge's picture, merged in another way from the same frames, aligned as they were for it.

    Raises NotFound, BadInput for a box outside what all frames share and for settings that cannot be used, and Conflict
    where the alignment was not kept.
    """
    with transaction(steady=True) as session:
        merge = stacks.get_product(session, merge_id, "merge")
        if merge.report is None:
            raise Conflict("this merge is not finished: wait for it")
        if merge.sorting is None:
            raise Conflict(_NOT_KEPT)
        made = MergeEntry.model_validate(merge.settings)
        if made.moved != entry.settings.moved:
            raise BadInput("from which side what moved is shown is decided for the whole picture", field="moved")
        crop = merge.report["crop"]
        store = FrameStore(settings().data)
        series = series_of(store, merge)
    x, y, width, height = entry.box
    right, bottom = crop["x"] + crop["width"], crop["y"] + crop["height"]
    if x < crop["x"] or y < crop["y"] or x + width > right or y + height > bottom:
        raise BadInput("the patch reaches beyond what all frames share: draw it within the dashed line")
    series = replace(series, frames=developed_frames(store, series, no_progress))
    return _ONE_AT_A_TIME.submit(_BENCH.merged, merge_id, series, entry).result()
