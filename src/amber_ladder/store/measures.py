"""Measures."""

from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from amber_ladder.errors import NotFound
from amber_ladder.store.models import Measure, Product, Take
from amber_ladder.store.stacks import EVER


def get(session: Session, measure_id: int, *, locked: bool = False) -> Measure:
    """One measure; ``locked`` keeps others from changing it until the transaction ends. Raises NotFound."""
    measure = session.get(Measure, measure_id, with_for_update=locked or None)
    if measure is None:
        raise NotFound(f"there is no measure {measure_id}: it was discarded, or never taken")
    return measure


def add(session: Session, merge: Product, kind: str, name: str, pick: dict[str, Any]) -> Measure:
    """Take a measure on a merge, under the take's next number; with an empty ``name`` it is called by that."""
    session.execute(select(Take.id).where(Take.id == merge.take_id).with_for_update())
    latest = select(func.max(Measure.number)).where(Measure.take_id == merge.take_id)
    number = (session.scalar(latest, execution_options=EVER) or 0) + 1
    measure = Measure(
        take_id=merge.take_id, merge_id=merge.id, number=number, name=name or f"M{number}", kind=kind, picks=[pick]
    )
    session.add(measure)
    session.flush()
    return measure
