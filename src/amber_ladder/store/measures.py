"""Measures, and series of them."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, joinedload

from amber_ladder.errors import NotFound
from amber_ladder.store.base import CHANGING, now
from amber_ladder.store.models import Measure, Product, Specimen, Stack, Take
from amber_ladder.store.series_models import MeasureSeries
from amber_ladder.store.stacks import EVER


def get(session: Session, measure_id: int, *, locked: bool = False) -> Measure:
    """One measure; ``locked`` keeps others from changing it until the transaction ends. Raises NotFound."""
    measure = session.get(Measure, measure_id, with_for_update=CHANGING if locked else None)
    if measure is None:
        raise NotFound(f"there is no measure {measure_id}: it was discarded, or never taken")
    return measure


def add(session: Session, merge: Product, kind: str, name: str, pick: dict[str, Any]) -> Measure:
    """Take a measure on a merge, under the take's next number; with an empty ``name`` it is called by that."""
    session.execute(select(Take.id).where(Take.id == merge.take_id).with_for_update(**CHANGING))
    latest = select(func.max(Measure.number)).where(Measure.take_id == merge.take_id)
    number = (session.scalar(latest, execution_options=EVER) or 0) + 1
    measure = Measure(
        take_id=merge.take_id, merge_id=merge.id, number=number, name=name or f"M{number}", kind=kind, picks=[pick]
    )
    session.add(measure)
    session.flush()
    return measure


def series(session: Session, specimen_kind: str, *, locked: bool = False) -> MeasureSeries:
    """The series of a kind of specimen, empty where nobody made one; ``locked`` as in ``get``."""
    if locked:
        empty = insert(MeasureSeries).values(specimen_kind=specimen_kind, items=[], created_at=now())
        session.execute(empty.on_conflict_do_nothing())
    query = select(MeasureSeries).where(MeasureSeries.specimen_kind == specimen_kind)
    found = session.scalar(query.with_for_update(**CHANGING) if locked else query)
    return found or MeasureSeries(specimen_kind=specimen_kind, items=[])


def series_names(session: Session) -> list[str]:
    """Names of measures that are in any series."""
    names = {str(one["name"]) for items in session.scalars(select(MeasureSeries.items)) for one in items}
    return sorted(names)


def of_kind(session: Session, specimen_kind: str, names: Sequence[str]) -> Sequence[Measure]:
    """All measures with one of these names on specimens of a kind, the oldest first, with what they were taken on."""
    merge = joinedload(Measure.merge).joinedload(Product.take).joinedload(Take.stack).joinedload(Stack.specimen)
    return session.scalars(
        select(Measure)
        .join(Take, Measure.take_id == Take.id)
        .join(Stack, Take.stack_id == Stack.id)
        .join(Specimen, Stack.specimen_id == Specimen.id)
        .where(Specimen.kind == specimen_kind, Measure.name.in_(names))
        .options(merge)
        .order_by(Measure.id)
    ).all()
