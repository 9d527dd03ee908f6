"""Looking up what mending needs of all frames of a merge, once: a job of the worker."""

from amber_ladder import __version__
from amber_ladder.core.frames import Progress
from amber_ladder.settings import settings
from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Product, Task
from amber_ladder.work.long_work import Finish, LongWork
from amber_ladder.work.mend.desk import RACK, merged_frames, rack_of
from amber_ladder.work.on_disk.paint_rack import FILES, make_rack


def wanted_rack(session: Session, merge: Product) -> int | None:
    """Begin a rack of a merge that has none; returns its task, to be queued once this is committed."""
    if rack_of(session, merge.id):
        return None
    task = Task(kind=RACK, stack_id=merge.take.stack_id)
    stacks.add_product(session, merge.take, Product(kind=RACK, parent_id=merge.id, task=task))
    tasks.announce(session, task)
    return task.id


def _rack(task_id: int, progress: Progress) -> Finish:
    with transaction() as session:
        rack = stacks.product_of(session, stacks.get_task(session, task_id))
        rack_id, merge_id = rack.id, rack.parent_id
    assert merge_id is not None, "every rack is one of a merge"
    store = FrameStore(settings().data)
    report = make_rack(store.product_folder(merge_id), merged_frames(merge_id), store.product_folder(rack_id), progress)

    def keep(session: Session) -> None:
        rack = stacks.get_product(session, rack_id, RACK)
        rack.report, rack.files, rack.version = report, list(FILES), __version__

    return keep


RACKING = LongWork(RACK, {"detail": (0.0, 0.6), "dust": (0.6, 0.4)}, by_worker=_rack)
