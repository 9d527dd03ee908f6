"""Mends and their changes."""

from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from amber_ladder.errors import NotFound
from amber_ladder.store.base import CHANGING
from amber_ladder.store.database import session_of
from amber_ladder.store.mend_models import Mend, MendChange
from amber_ladder.store.models import Product, Take
from amber_ladder.store.stacks import EVER


def get(session: Session, mend_id: int, *, locked: bool = False) -> Mend:
    """One mend; ``locked`` keeps others from changing it until the transaction ends. Raises NotFound."""
    mend = session.get(Mend, mend_id, with_for_update=CHANGING if locked else None)
    if mend is None:
        raise NotFound(f"there is no mend {mend_id}: it was discarded, or never begun")
    return mend


def mends_of(take: Take) -> list[Mend]:
    """All mends of a take, oldest first."""
    return list(session_of(take).scalars(select(Mend).where(Mend.take_id == take.id).order_by(Mend.id)))


def add(session: Session, merge: Product, name: str) -> Mend:
    """Begin a mend of a merge under the take's next number; with an empty ``name`` it is called by that."""
    session.execute(select(Take.id).where(Take.id == merge.take_id).with_for_update(**CHANGING))
    largest = session.scalar(select(func.max(Mend.number)).where(Mend.take_id == merge.take_id), execution_options=EVER)
    number = (largest or 0) + 1
    mend = Mend(take_id=merge.take_id, merge_id=merge.id, number=number, name=name or f"Mend {number}")
    session.add(mend)
    session.flush()
    return mend


def counted_changes(session: Session, mend: Mend) -> list[dict[str, Any]]:
    """The changes that count, in their order."""
    query = select(MendChange.change).where(MendChange.mend_id == mend.id, MendChange.place < mend.position)
    return list(session.scalars(query.order_by(MendChange.place)))


def next_change(session: Session, mend: Mend) -> dict[str, Any] | None:
    """The change that was undone last, None where none can be done again."""
    return session.scalar(
        select(MendChange.change).where(MendChange.mend_id == mend.id, MendChange.place == mend.position)
    )


def add_change(session: Session, mend: Mend, change: dict[str, Any], by: str | None) -> None:
    """Let one more change count; those that were undone are gone with it."""
    session.execute(delete(MendChange).where(MendChange.mend_id == mend.id, MendChange.place >= mend.position))
    session.add(MendChange(mend_id=mend.id, place=mend.position, change=change, by=by))
    mend.position += 1
    mend.revision += 1
    session.flush()


def products(session: Session, merge_id: int, kind: str) -> list[Product]:
    """What was made of a merge, of one kind, oldest first."""
    return list(session.scalars(select(Product).where(Product.parent_id == merge_id, Product.kind == kind)
                                .order_by(Product.id)))  # fmt: skip
