"""Writing a mended picture in its full size and depth: a job of the worker."""

from amber_ladder import __version__
from amber_ladder.core.frames import Progress
from amber_ladder.errors import Conflict
from amber_ladder.formats.mend_json import StepsJson
from amber_ladder.settings import settings
from amber_ladder.store import mends, stacks, tasks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Product, Task
from amber_ladder.store.queue import AT_STATION, enqueue
from amber_ladder.work.journal import did
from amber_ladder.work.long_work import Finish, LongWork
from amber_ladder.work.mend.desk import merge_folder, merged_frames, rack_of
from amber_ladder.work.mend.history import as_json, in_order, kept
from amber_ladder.work.on_disk.mend_layers import LayerMaker
from amber_ladder.work.on_disk.mending import RESULTS, write_mended
from amber_ladder.work.on_disk.merge_result import read_merge
from amber_ladder.work.on_disk.paint_rack import read_rack

MENDED = "mend"


def finish(mend_id: int) -> None:
    """Queue the writing of a mend as it is now. Raises NotFound, and Conflict while that is being written."""
    with transaction() as session:
        mend = mends.get(session, mend_id, locked=True)
        same = [one for one in mends.products(session, mend.merge_id, MENDED)
                if one.settings["mend_id"] == mend.id and one.settings["revision"] == mend.revision
                and one.task.state not in ("failed", "stopped")]  # fmt: skip
        if same:
            raise Conflict("this is written already, or being written: nothing was changed since")
        steps = in_order(kept(mends.counted_changes(session, mend)))
        task = Task(kind=MENDED, stack_id=mend.take.stack_id)
        told = {
            "mend_id": mend.id,
            "name": mend.name,
            "revision": mend.revision,
            "steps": [as_json(one.step) for one in steps],
        }
        product = Product(kind=MENDED, parent_id=mend.merge_id, settings=told, task=task)
        stacks.add_product(session, mend.take, product)
        did(session, f"{mend.name} of take {mend.take.number} written, {len(steps)} steps", mend.take.stack)
        tasks.announce(session, task)
        tasks.tell(session, "mend", {"id": mend.id, "revision": mend.revision})
        task_id = task.id
    enqueue(task_id, where=AT_STATION)


def _mend(task_id: int, progress: Progress) -> Finish:
    store = FrameStore(settings().data)
    with transaction() as session:
        product = stacks.product_of(session, stacks.get_task(session, task_id))
        product_id, merge_id, told = product.id, product.parent_id, product.settings
        assert merge_id is not None, "every mend is one of a merge"
        rack = rack_of(session, merge_id)
        ready = (rack.id, rack.report) if rack and rack.report else None
    merge = read_merge(store.product_folder(merge_id))
    dust = read_rack(store.product_folder(ready[0]), ready[1]) if ready else None
    maker = LayerMaker(merge, merged_frames(merge_id), merges=merge_folder, rack=dust)
    steps = StepsJson.model_validate({"steps": told["steps"]}).steps
    report = write_mended(merge, maker, steps, store.product_folder(product_id), progress)

    def keep(session: Session) -> None:
        product = stacks.get_product(session, product_id, MENDED)
        product.report, product.files, product.version = report, list(RESULTS), __version__
        tasks.tell(session, "mend", {"id": told["mend_id"], "revision": told["revision"]})

    return keep


MENDING = LongWork(
    MENDED,
    {"dust": (0.0, 0.2), "cut": (0.2, 0.4), "mend": (0.6, 0.4)},
    by_worker=_mend,
)
