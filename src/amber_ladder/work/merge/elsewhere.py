"""A merge on another machine: originals come from the shared store, results go there, and the station fetches them."""

import os
import time
from pathlib import Path
from typing import Any

from amber_ladder import __version__
from amber_ladder.core.frames import Progress
from amber_ladder.errors import NotFound
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.surveys import FILE as SURVEY
from amber_ladder.settings import settings
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore, sha256_of
from amber_ladder.store.shared_store import SharedStore, original_place
from amber_ladder.work.long_work import Finish
from amber_ladder.work.merge.merges import keep_made, merge_of, merged_into
from amber_ladder.work.on_disk.merging import RESULTS
from amber_ladder.work.pictures import prepare_tiles

_LOOK_AGAIN_S = 0.5
_FILES = (*RESULTS, SURVEY)


def originals_of(session: Session, task_id: int) -> list[tuple[str, str]]:
    """Checksum and suffix of all frames that a merge needs, in their order."""
    merge = merge_of(session, task_id)
    assert merge.sorting is not None, "every merge has one"
    by_id = {frame.id: (frame.sha256, frame.suffix) for frame in merge.take.frames}
    return [by_id[one["frame_id"]] for one in merge.sorting.series]


def merge_elsewhere(task_id: int, attempt: int, progress: Progress) -> dict[str, Any]:
    """Merge on a machine that has a cache instead of the station's data; returns what is handed over.

    Raises SharedStoreAway, StorageFull, OSError, Stopped.
    """
    store, shared = FrameStore(settings().data), SharedStore(settings().shared)
    with transaction() as session:
        needed = originals_of(session, task_id)
    _fetch_originals(store, shared, needed, progress)
    merge_id, report = merged_into(store, task_id, progress)
    folder, place = store.product_folder(merge_id), f"results/{task_id:06d}-{attempt}"
    files = {}
    for name in _FILES:
        sha256 = sha256_of(folder / name)
        assert sha256 is not None, "it was written just now"
        shared.put(f"{place}/{name}", folder / name)
        files[name] = sha256
    return {"place": place, "files": files, "report": report, "version": __version__}


def _fetch_originals(store: FrameStore, shared: SharedStore, needed: list[tuple[str, str]], progress: Progress) -> None:
    """Fetch what is not here yet, waiting for what the station has still to bring."""
    for done, (sha256, suffix) in enumerate(needed):
        progress("fetch", done, len(needed))
        path = store.place(sha256, suffix)
        if path.is_file():
            os.utime(path)  # what was used last is kept longest
        while not path.is_file():
            try:
                shared.fetch(original_place(sha256, suffix), path, sha256)
            except NotFound:
                time.sleep(_LOOK_AGAIN_S)
                progress("fetch", done, len(needed))


def receive(shared: SharedStore, task_id: int, handed: dict[str, Any]) -> Finish:
    """The station's part: fetch what a worker elsewhere has made. Raises NotFound when it is not there whole."""
    store = FrameStore(settings().data)
    with transaction() as session:
        merge_id = merge_of(session, task_id).id
    with folder_in_one_piece(store.product_folder(merge_id)) as folder:
        for name in _FILES:
            shared.fetch(f"{handed['place']}/{name}", folder / name, handed["files"][name])
    prepare_tiles(store, merge_id)
    return lambda session: keep_made(session, merge_id, handed["report"], handed["version"])


def forget(shared: SharedStore, handed: dict[str, Any]) -> None:
    """What was handed over need not stay in the shared store."""
    for name in _FILES:
        shared.remove(f"{handed['place']}/{name}")


def prune(data: Path, keep_bytes: int) -> None:
    """Keep what was used last, so many bytes of it: originals can be fetched again, and the station has the results."""
    kept = 0
    files = [path for name in ("originals", "products", "tiles") for path in (data / name).rglob("*") if path.is_file()]
    for path in sorted(files, key=lambda one: one.stat().st_mtime, reverse=True):
        kept += path.stat().st_size
        if kept > keep_bytes:
            path.unlink()
