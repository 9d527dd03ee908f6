"""Finding and adding specimens."""

from sqlalchemy import func, or_, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, selectinload

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.store.base import CHANGING
from amber_ladder.store.models import Product, Specimen, Stack, Take


def find(session: Session, *, words: str = "", kind: str = "") -> list[Specimen]:
    """Specimens in whose label or rig every word occurs, newest first, with stacks, takes and products loaded."""
    query = (
        select(Specimen)
        .options(
            selectinload(Specimen.stacks)
            .selectinload(Stack.takes)
            .selectinload(Take.products)
            .joinedload(Product.task),
            selectinload(Specimen.stacks).selectinload(Stack.takes).joinedload(Take.task),
        )
        .order_by(Specimen.id)
    )
    if kind:
        query = query.where(Specimen.kind == kind)
    for word in words.split():
        like = "%" + word.replace("\\", r"\\").replace("%", r"\%").replace("_", r"\_") + "%"
        on_rig = select(Stack.id).where(Stack.specimen_id == Specimen.id, Stack.rig_name.ilike(like)).exists()
        columns = (
            Specimen.catalogue_number,
            Specimen.name,
            Specimen.mount,
            Specimen.locality,
            Specimen.medium,
            Specimen.determination,
            Specimen.collector,
        )
        query = query.where(or_(*(column.ilike(like) for column in columns), on_rig))
    return list(session.scalars(query))


def kinds(session: Session) -> list[tuple[str, int]]:
    """The kinds in use and how many specimens each has, most first."""
    count = func.count(Specimen.id)
    rows = session.execute(select(Specimen.kind, count).group_by(Specimen.kind).order_by(count.desc(), Specimen.kind))
    return [(kind, number) for kind, number in rows]


def written(session: Session, name: str, most: int) -> list[str]:
    """What stands on labels under this entry, what was written last first."""
    column = getattr(Specimen, name)
    query = select(column).where(column != "").group_by(column).order_by(func.max(Specimen.id).desc()).limit(most)
    return list(session.scalars(query))


def get(session: Session, specimen_id: int, *, locked: bool = False) -> Specimen:
    """One specimen; ``locked`` keeps others from changing it until the transaction ends. Raises NotFound."""
    specimen = session.get(Specimen, specimen_id, with_for_update=CHANGING if locked else None)
    if specimen is None:
        raise NotFound(f"there is no specimen {specimen_id}")
    return specimen


def of_number(session: Session, number: str) -> Specimen | None:
    """The specimen with this catalogue number, if it is here."""
    return session.scalar(select(Specimen).where(Specimen.catalogue_number == number))


def save(session: Session, specimen: Specimen) -> None:
    """Write a new or changed specimen. Raises Conflict when its catalogue number is taken."""
    session.add(specimen)
    number = specimen.catalogue_number  # after a failed flush nothing of the row can be read any more
    try:
        session.flush()
    except IntegrityError as error:
        raise Conflict(f"catalogue number {number} is taken already: choose another") from error
