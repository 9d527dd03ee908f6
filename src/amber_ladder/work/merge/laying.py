"""Merges of a set of tiles, laid together by the worker: a merge of the whole's own stack, like any other."""

from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

import tifffile

from amber_ladder import __version__
from amber_ladder.core.frames import Progress
from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.results import read_kinds
from amber_ladder.formats.rig_json import Strict
from amber_ladder.formats.tile_set_json import GridJson, TileSetJson
from amber_ladder.settings import settings
from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Product, Stack, Take, Task
from amber_ladder.store.queue import AT_STATION, enqueue
from amber_ladder.work.journal import did
from amber_ladder.work.long_work import Finish, LongWork
from amber_ladder.work.merge.merges import KIND as MERGE
from amber_ladder.work.merge.merges import keep_made
from amber_ladder.work.on_disk.laying import lay
from amber_ladder.work.on_disk.merge_result import MergeResult, read_merge
from amber_ladder.work.pictures import prepare_tiles
from amber_ladder.work.stack.counted import counted_merge
from amber_ladder.work.stack.tiles import tiles_view
from amber_ladder.work.stack.views import MergeView, merge_view

METHOD = "tiles"


class LayEntry(Strict):
    """How tiles are laid: with the pictures that were mended of their merges, or with the merges as they are."""

    mended: bool = True


@dataclass(frozen=True, slots=True)
class _Source:
    """A tile that is laid: its number, its merge, and the mended picture that is shown in its place."""

    number: int
    merge_id: int
    mend_id: int | None

    @property
    def name(self) -> str:
        """What it is called in the report."""
        return f"tile {self.number}"


def begin_laying(stack_id: int, entry: LayEntry) -> MergeView:
    """Queue the laying of a whole's tiles, of each the merge that counts.

    Raises NotFound, and Conflict for what is no whole, or while tiles are not merged.
    """
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id, locked=True)
        sources = _sources(stack, mended=entry.mended)
        take = next((one for one in stack.takes if one.source == stacks.TILES), None)
        if take is None:
            take = Take(source=stacks.TILES, complete=True)
            stacks.add_take(session, stack, take)
        task = Task(kind=KIND, stack_id=stack.id)
        told = {"method": METHOD, "tiles": [asdict(one) for one in sources]}
        product = Product(kind=MERGE, settings=told, task=task)
        stacks.add_product(session, take, product)
        did(session, f"{len(sources)} tiles of {stack.specimen.catalogue_number} to be laid together", stack)
        tasks.announce(session, task)
        session.refresh(take)
        view = merge_view(product)
    enqueue(view.task.id, where=AT_STATION)
    return view


def _sources(stack: Stack, *, mended: bool) -> list[_Source]:
    view = tiles_view(stack)
    if view is None or view.number != 0:
        raise Conflict("this stack is no whole that tiles are laid in: plan it as tiles")
    missing = [str(one.number) for one in view.tiles if one.merge_id is None]
    if missing:
        raise Conflict(
            f"not merged yet: tile {', '.join(missing)}. Merge them first; a tile that shall have no picture is thrown "
            "away, and left out"
        )
    if len(view.tiles) < 2:
        raise Conflict("there are not two tiles left: nothing is to be laid together")
    by_id = {one.id: one for one in stack.specimen.stacks}
    found = []
    for line in view.tiles:
        merge = counted_merge(by_id[line.stack_id])
        assert merge is not None, "it was counted above"
        mends = [one for one in merge.take.products if one.kind == "mend" and one.parent_id == merge.id and one.report]
        found.append(_Source(line.number, merge.id, mends[-1].id if mends and mended else None))
    return found


def _lay(task_id: int, progress: Progress) -> Finish:
    """The worker's part. Taken up again after a kill, it starts over: nothing half-done was kept."""
    store = FrameStore(settings().data)
    with transaction() as session:
        product = stacks.product_of(session, stacks.get_task(session, task_id))
        product_id, told = product.id, product.settings["tiles"]
        tiles = product.take.stack.tile_set
        assert tiles is not None, "only a whole is laid"
        columns, order, count = tiles.columns, tiles.order, tiles.columns * tiles.rows
        # A field's step is a share of the whole field, whatever the pixels of the frames are.
        overlap = 1.0 - tiles.inner_share * (1.0 - tiles.overlap)
    sources = [_Source(**one) for one in told]
    numbers = [one.number for one in sources]
    entry = TileSetJson(
        results=[one.name for one in sources],
        grid=GridJson(columns=columns, overlap=overlap, order=order, numbers=numbers),  # type: ignore[arg-type]
    )
    report = lay([_read(store, one) for one in sources], entry, store.product_folder(product_id), progress,
                 also=[*_mended(store, sources), *_left_out(numbers, count)])  # fmt: skip
    prepare_tiles(store, product_id)

    def keep(session: Session) -> None:
        keep_made(session, product_id, report, __version__)

    return keep


def _read(store: FrameStore, source: _Source) -> MergeResult:
    try:
        merge = read_merge(store.product_folder(source.merge_id))
    except BadInput as error:
        raise BadInput(f"{source.name}: {error}", field="tiles") from error
    if source.mend_id is None:
        return merge
    path = store.product_folder(source.mend_id) / "composite.tif"
    if not path.is_file():
        raise BadInput(f"{source.name}: its mended picture is gone from the data folder", field="tiles")
    return replace(merge, composite=_opened(path))


def _opened(path: Path) -> Any:
    return tifffile.memmap(path, mode="r")


def _mended(store: FrameStore, sources: list[_Source]) -> list[str]:
    """That a picture is not all as it was shot must be told with it, wherever it goes."""
    shares = [
        f"{one.name} in {float((read_kinds(store.product_folder(one.mend_id) / 'changed.tif') > 0).mean()):.2%}"
        for one in sources
        if one.mend_id is not None
    ]
    return [f"mended before it was laid, so not all is as it was shot: {', '.join(shares)}"] if shares else []


def _left_out(numbers: list[int], count: int) -> list[str]:
    gone = [str(one) for one in range(1, count + 1) if one not in numbers]
    return [f"thrown away, so nothing is laid there: tile {', '.join(gone)}"] if gone else []


KIND = "lay"
LAYING = LongWork(KIND, {"register": (0.0, 0.4), "save": (0.4, 0.6)}, by_worker=_lay)
