"""Stacks, takes, frames and merges."""

from sqlalchemy import func, select
from sqlalchemy.orm import Session, selectinload

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.store.models import Frame, Merge, Specimen, Stack, Take, Task


def get_stack(session: Session, stack_id: int) -> Stack:
    """One stack with its specimen, takes, frames and merges. Raises NotFound."""
    stack = session.scalar(
        select(Stack)
        .where(Stack.id == stack_id)
        .options(
            selectinload(Stack.specimen),
            selectinload(Stack.takes).selectinload(Take.frames),
            selectinload(Stack.takes).joinedload(Take.task),
            selectinload(Stack.takes).selectinload(Take.merges).joinedload(Merge.task),
        )
    )
    if stack is None:
        raise NotFound(f"there is no stack {stack_id}")
    return stack


def get_take(session: Session, take_id: int, *, locked: bool = False) -> Take:
    """One take; ``locked`` keeps others from changing it until the transaction ends. Raises NotFound."""
    query = select(Take).where(Take.id == take_id)
    take = session.scalar(query.with_for_update() if locked else query)
    if take is None:
        raise NotFound(f"there is no take {take_id}")
    return take


def get_merge(session: Session, merge_id: int) -> Merge:
    """One merge. Raises NotFound."""
    merge = session.get(Merge, merge_id)
    if merge is None:
        raise NotFound(f"there is no merge {merge_id}")
    return merge


def get_task(session: Session, task_id: int) -> Task:
    """One task. Raises NotFound."""
    task = session.get(Task, task_id)
    if task is None:
        raise NotFound(f"there is no task {task_id}")
    return task


def take_of(session: Session, task: Task) -> Take:
    """The take that a shooting task fills."""
    return session.scalars(select(Take).where(Take.task_id == task.id)).one()


def merge_of(session: Session, task: Task) -> Merge:
    """The merge that a merging task makes."""
    return session.scalars(select(Merge).where(Merge.task_id == task.id)).one()


def add_stack(session: Session, specimen: Specimen, stack: Stack) -> None:
    """Add a stack under the specimen's next number."""
    session.execute(select(Specimen.id).where(Specimen.id == specimen.id).with_for_update())
    largest = session.scalar(select(func.max(Stack.number)).where(Stack.specimen_id == specimen.id))
    stack.specimen_id, stack.number = specimen.id, (largest or 0) + 1
    session.add(stack)
    session.flush()


def add_take(session: Session, stack: Stack, take: Take) -> None:
    """Add a take under the stack's next number."""
    session.execute(select(Stack.id).where(Stack.id == stack.id).with_for_update())
    largest = session.scalar(select(func.max(Take.number)).where(Take.stack_id == stack.id))
    take.stack_id, take.number = stack.id, (largest or 0) + 1
    session.add(take)
    session.flush()


def add_merge(session: Session, take: Take, merge: Merge) -> None:
    """Add a merge under the take's next number."""
    largest = session.scalar(select(func.max(Merge.number)).where(Merge.take_id == take.id))
    merge.take_id, merge.number = take.id, (largest or 0) + 1
    session.add(merge)
    session.flush()


def add_frame(session: Session, take: Take, frame: Frame) -> None:
    """Add a frame. Raises Conflict when the take has another picture of that name."""
    session.execute(select(Take.id).where(Take.id == take.id).with_for_update())
    same = session.scalar(select(Frame).where(Frame.take_id == take.id, Frame.name == frame.name))
    if same is not None:
        if same.sha256 == frame.sha256:
            return  # sent twice: the second time changes nothing
        raise Conflict(f"{frame.name}: this take has another picture of that name. Rename one of them.")
    largest = session.scalar(select(func.max(Frame.place)).where(Frame.take_id == take.id))
    frame.take_id, frame.place = take.id, 0 if largest is None else largest + 1
    session.add(frame)
    session.flush()


def take_over(session: Session, take: Take, frame_id: int, *, rung: int, position_um: float) -> None:
    """Let a take begin with a frame of another: the same original, named after its rung here."""
    old = session.get_one(Frame, frame_id)
    frame = Frame(
        name=f"rung_{rung + 1:04d}{old.suffix}",
        sha256=old.sha256,
        suffix=old.suffix,
        bytes=old.bytes,
        width_px=old.width_px,
        height_px=old.height_px,
        bits=old.bits,
        captured_at=old.captured_at,
        rung=rung,
        position_um=position_um,
        faults=[],
    )
    add_frame(session, take, frame)


def merged_stacks(session: Session) -> list[Stack]:
    """All stacks with what the ledger needs, by specimen and number."""
    return list(
        session.scalars(
            select(Stack)
            .join(Specimen)
            .order_by(Specimen.catalogue_number, Stack.number)
            .options(
                selectinload(Stack.specimen),
                selectinload(Stack.takes).selectinload(Take.frames),
                selectinload(Stack.takes).selectinload(Take.merges).joinedload(Merge.task),
            )
        )
    )


def has_original(session: Session, sha256: str) -> Frame | None:
    """A frame with this checksum, if any."""
    return session.scalar(select(Frame).where(Frame.sha256 == sha256).limit(1))
