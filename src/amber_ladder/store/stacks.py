"""Stacks, takes, frames, sortings and products."""

from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload, selectinload

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.store.base import CHANGING
from amber_ladder.store.models import Frame, Product, Sorting, Specimen, Stack, Take, Task
from amber_ladder.store.tasks import ENDED

EVER = {"with_discarded": True}
"""For numbers that are counted: what was thrown away keeps its own."""


AT_THE_BENCH = ("bench", "folder")
"""Sources of takes whose frames came as they were shot: the station knows when that was."""
TILES = "tiles"
"""The source of a take whose merges are laid together from those of tiles."""


def get_stack(session: Session, stack_id: int, *, locked: bool = False) -> Stack:
    """One stack with its specimen, takes, frames and products; ``locked`` keeps others from changing it until the

    transaction ends. Raises NotFound.
    """
    if locked:
        session.execute(select(Stack.id).where(Stack.id == stack_id).with_for_update(**CHANGING))
    stack = session.scalar(
        select(Stack)
        .where(Stack.id == stack_id)
        .options(
            selectinload(Stack.specimen)
            .selectinload(Specimen.stacks)
            .selectinload(Stack.takes)
            .selectinload(Take.products)
            .joinedload(Product.task),
            joinedload(Stack.tile_set),
            selectinload(Stack.takes).selectinload(Take.frames),
            selectinload(Stack.takes).joinedload(Take.task),
            selectinload(Stack.takes).selectinload(Take.products).joinedload(Product.task),
        )
    )
    if stack is None:
        raise NotFound(f"there is no stack {stack_id}")
    return stack


def get_take(session: Session, take_id: int, *, locked: bool = False) -> Take:
    """One take; ``locked`` keeps others from changing it until the transaction ends. Raises NotFound."""
    query = select(Take).where(Take.id == take_id)
    take = session.scalar(query.with_for_update(**CHANGING) if locked else query)
    if take is None:
        raise NotFound(f"there is no take {take_id}")
    return take


def get_product(session: Session, product_id: int, kind: str) -> Product:
    """One product of a kind. Raises NotFound."""
    product = session.get(Product, product_id)
    if product is None or product.kind != kind:
        raise NotFound(f"there is no {kind} {product_id}")
    return product


def get_task(session: Session, task_id: int, *, locked: bool = False) -> Task:
    """One task. Raises NotFound."""
    task = session.get(Task, task_id, with_for_update=CHANGING if locked else None)
    if task is None:
        raise NotFound(f"there is no task {task_id}")
    return task


def take_of(session: Session, task: Task) -> Take:
    """The take that a shooting task fills."""
    return session.scalars(select(Take).where(Take.task_id == task.id)).one()


def product_of(session: Session, task: Task) -> Product:
    """The product that a task makes."""
    return session.scalars(select(Product).where(Product.task_id == task.id)).one()


def product_made_by(session: Session, task: Task) -> Product | None:
    """The product that a task makes, None where it makes none."""
    return session.scalar(select(Product).where(Product.task_id == task.id))


def latest_products(session: Session, kind: str, most: int) -> list[Product]:
    """Finished products of a kind with their takes' frames, the latest first."""
    finished = (Product.kind == kind, Product.files.is_not(None))
    query = select(Product).where(*finished).order_by(Product.id.desc()).limit(most)
    return list(session.scalars(query.options(selectinload(Product.take).selectinload(Take.frames))))


def ids_of_specimen(session: Session, specimen_id: int) -> list[int]:
    """The numbers of a specimen's stacks."""
    return list(session.scalars(select(Stack.id).where(Stack.specimen_id == specimen_id).order_by(Stack.id)))


def refuse_while_shot(stack: Stack) -> None:
    """Raises Conflict while a take of this stack is being shot."""
    if any(take.task and take.task.state not in ENDED for take in stack.takes):
        raise Conflict("this ladder is being shot already: wait for it or stop it first")


def add_stack(session: Session, specimen: Specimen, stack: Stack) -> None:
    """Add a stack under the specimen's next number."""
    session.execute(select(Specimen.id).where(Specimen.id == specimen.id).with_for_update(**CHANGING))
    largest = session.scalar(
        select(func.max(Stack.number)).where(Stack.specimen_id == specimen.id), execution_options=EVER
    )
    stack.specimen_id, stack.number = specimen.id, (largest or 0) + 1
    session.add(stack)
    session.flush()


def add_take(session: Session, stack: Stack, take: Take) -> None:
    """Add a take under the stack's next number. Raises Conflict for frames of a whole that tiles are laid in."""
    if stack.tile == 0 and take.source != TILES:
        raise Conflict("this stack is laid together from its tiles: shoot those, and bring frames to them")
    session.execute(select(Stack.id).where(Stack.id == stack.id).with_for_update(**CHANGING))
    largest = session.scalar(select(func.max(Take.number)).where(Take.stack_id == stack.id), execution_options=EVER)
    take.stack_id, take.number = stack.id, (largest or 0) + 1
    session.add(take)
    session.flush()


def add_product(session: Session, take: Take, product: Product) -> None:
    """Add a product under the next number of its kind."""
    of_kind = (Product.take_id == take.id, Product.kind == product.kind)
    largest = session.scalar(select(func.max(Product.number)).where(*of_kind), execution_options=EVER)
    product.take_id, product.number = take.id, (largest or 0) + 1
    session.add(product)
    session.flush()


def keep_sorting(session: Session, take: Take, sorting: Sorting) -> Sorting:
    """Keep a sorting under the take's next number; one that is like the latest is that one."""
    latest = session.scalar(select(Sorting).where(Sorting.take_id == take.id).order_by(Sorting.number.desc()).limit(1))
    if latest is not None and all(
        getattr(latest, name) == getattr(sorting, name) for name in ("series", "left_out", "depth_from", "development")
    ):
        return latest
    sorting.take_id, sorting.number = take.id, (latest.number if latest else 0) + 1
    session.add(sorting)
    session.flush()
    return sorting


def add_frame(session: Session, take: Take, frame: Frame) -> Frame:
    """Add a frame; returns it, or the one that was there when it is sent twice.

    Raises Conflict when the take has another picture of that name.
    """
    session.execute(select(Take.id).where(Take.id == take.id).with_for_update(**CHANGING))
    same = session.scalar(select(Frame).where(Frame.take_id == take.id, Frame.name == frame.name))
    if same is not None:
        if same.sha256 == frame.sha256:
            return same
        raise Conflict(f"{frame.name}: this take has another picture of that name. Rename one of them.")
    largest = session.scalar(select(func.max(Frame.place)).where(Frame.take_id == take.id))
    frame.take_id, frame.place = take.id, 0 if largest is None else largest + 1
    session.add(frame)
    session.flush()
    return frame


def get_frame(session: Session, frame_id: int) -> Frame:
    """One frame. Raises NotFound."""
    frame = session.get(Frame, frame_id)
    if frame is None:
        raise NotFound(f"there is no frame {frame_id}")
    return frame


def camera_clock(captured_at: datetime | None) -> dict[str, Any]:
    """A frame's columns for when it was captured: the camera's clock, and its zone where that is known."""
    offset = captured_at.utcoffset() if captured_at else None
    return {
        "captured_at": captured_at.replace(tzinfo=None) if captured_at else None,
        "captured_offset_min": round(offset.total_seconds() / 60) if offset is not None else None,
    }


def take_over(session: Session, take: Take, frame_id: int, *, rung: int, planned_um: float) -> None:
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
        captured_offset_min=old.captured_offset_min,
        rung=rung,
        planned_um=planned_um,
        reported_um=old.reported_um,
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
                selectinload(Stack.specimen).selectinload(Specimen.stacks),
                selectinload(Stack.takes).selectinload(Take.frames),
                selectinload(Stack.takes).selectinload(Take.products).joinedload(Product.task),
            )
        )
    )


def latest_on_rig(session: Session, stack: Stack, most: int) -> list[Stack]:
    """The latest other stacks on a stack's rig as it was then, with their merges."""
    return list(
        session.scalars(
            select(Stack)
            .where(Stack.rig_id == stack.rig_id, Stack.rig_version == stack.rig_version, Stack.id != stack.id)
            .order_by(Stack.id.desc())
            .limit(most)
            .options(selectinload(Stack.takes).selectinload(Take.products))
        )
    )


def has_original(session: Session, sha256: str) -> Frame | None:
    """A frame with this checksum, if any."""
    return session.scalar(select(Frame).where(Frame.sha256 == sha256).limit(1))
