"""The worker's part: every file of a card looked at once, and the whole of it taken apart into stacks."""

from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.developing import upright
from amber_ladder.core.frames import Progress
from amber_ladder.core.sorting.run import Run, SeenFile, sort_run
from amber_ladder.formats.metadata import noted_in
from amber_ladder.formats.pictures import LeftOut
from amber_ladder.formats.tiles import small_jpeg_of
from amber_ladder.settings import settings
from amber_ladder.store import cards, stacks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.card.bringing import KIND, fetch
from amber_ladder.work.card.judging import key_of, stack_json
from amber_ladder.work.card.looks import noted_json, packed
from amber_ladder.work.long_work import Finish, LongWork
from amber_ladder.work.on_disk.checking import OnCard, look_through, shooting_order

_THUMB_PX = 96
_SHARPEST = 98  # percentile of a file's tiles


def look(task_id: int, progress: Progress) -> Finish:
    """Fetch what is to be fetched, look at all files, and take them apart. Killed, it begins anew: nothing is lost."""
    store = FrameStore(settings().data)
    with transaction() as session:
        card = cards.card_of(session, stacks.get_task(session, task_id))
        card_id, folder = card.id, card.folder
    if folder:
        fetch(store, card_id, Path(folder), progress)
    with transaction() as session:
        kept = [
            (file.id, file.name, store.original(file.sha256, file.suffix or ""))
            for file in cards.files_of(session, card_id)
            if file.sha256
        ]
    ids = {name: number for number, name, _ in kept}
    files = shooting_order([OnCard(name, path, noted_in(path)) for _, name, path in kept])
    thumbs, lock = dict[str, bytes](), Lock()

    def shown(file: OnCard, rgb: NDArray[np.uint8]) -> None:
        thumb = small_jpeg_of(upright(rgb, file.noted.orientation or 1), _THUMB_PX)
        with lock:
            thumbs[file.name] = thumb

    seen, damaged = look_through(files, progress, shown)
    run = sort_run(seen)
    noted = {file.name: noted_json(file.noted) for file in files}
    rows = [_row(ids[one.name], place, one, noted[one.name], thumbs[one.name]) for place, one in enumerate(seen)]
    return lambda session: _keep(session, card_id, rows, [ids[one.name] for one in seen], run, ids, damaged)


def _row(number: int, place: int, seen: SeenFile, noted: dict[str, Any], thumb: bytes) -> dict[str, Any]:
    return {
        "id": number, "place": place, "refused": None, "noted": noted, "thumb": thumb, "look": packed(seen),
        "width_px": seen.width_px, "height_px": seen.height_px, "bits": seen.bits,
        "sharp": float(np.percentile(seen.look.detail, _SHARPEST)),
    }  # fmt: skip


def _keep(
    session: Session, card_id: int, rows: list[dict[str, Any]], order: list[int], run: Run, ids: dict[str, int],
    damaged: list[LeftOut],
) -> None:  # fmt: skip
    gone = [{"id": ids[one.name], "refused": one.reason[:300], "look": None, "thumb": None} for one in damaged]
    card = cards.get(session, card_id, locked=True)  # first, as all that changes a card does: its files follow
    cards.keep_looks(session, card_id, rows, gone)
    card.found = {
        "order": order,
        "borders": [{"before": order[one.before], "reason": one.reason} for one in run.borders],
        "separators": [order[place] for place in run.separators],
        "strays": {str(order[place]): kind for place, kind in run.strays.items()},
    }
    card.judged = {key_of([order[place] for place in one.places]): stack_json(one, order) for one in run.stacks}


LOOKING = LongWork(KIND, {"fetch": (0.0, 0.4), "look": (0.4, 0.6)}, by_worker=look)
