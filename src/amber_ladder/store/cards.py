"""Cards and their files."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy import func, or_, select, update
from sqlalchemy.orm import Session, selectinload, undefer

from amber_ladder.errors import NotFound
from amber_ladder.store.base import CHANGING
from amber_ladder.store.card_models import Card, CardFile
from amber_ladder.store.models import Frame, Specimen, Stack, Take, Task

SOURCE = "card"
"""Source of takes that were accepted from a card."""


def get(session: Session, card_id: int, *, locked: bool = False) -> Card:
    """One card; ``locked`` keeps others from changing it until the transaction ends. Raises NotFound."""
    card = session.get(Card, card_id, with_for_update=CHANGING if locked else None)
    if card is None:
        raise NotFound(f"there is no card {card_id}")
    return card


def newest_first(session: Session) -> list[tuple[Card, int]]:
    """All cards with how many files each has."""
    files = select(func.count(CardFile.id)).where(CardFile.card_id == Card.id).scalar_subquery()
    return [(card, count) for card, count in session.execute(select(Card, files).order_by(Card.id.desc()))]


def files_of(session: Session, card_id: int) -> list[CardFile]:
    """A card's files in the order of shooting, those that have none yet as they came."""
    return list(
        session.scalars(
            select(CardFile).where(CardFile.card_id == card_id).order_by(CardFile.place.nulls_last(), CardFile.id)
        )
    )


def with_looks(session: Session, ids: Sequence[int]) -> list[CardFile]:
    """These files with what a look at them told, in this order."""
    found = session.scalars(select(CardFile).where(CardFile.id.in_(ids)).options(undefer(CardFile.look)))
    by_id = {file.id: file for file in found}
    return [by_id[number] for number in ids]


def names_of(session: Session, ids: Sequence[int]) -> dict[int, str]:
    """What these files are called."""
    found = session.execute(select(CardFile.id, CardFile.name).where(CardFile.id.in_(ids)))
    return {row.id: row.name for row in found}


def get_file(session: Session, file_id: int, *, with_thumb: bool = False) -> CardFile:
    """One file. Raises NotFound."""
    options = [undefer(CardFile.thumb)] if with_thumb else []
    file = session.scalar(select(CardFile).where(CardFile.id == file_id).options(*options))
    if file is None:
        raise NotFound(f"there is no file {file_id}")
    return file


def named(session: Session, card_id: int, name: str) -> CardFile | None:
    """The file of this path on a card, if any."""
    return session.scalar(select(CardFile).where(CardFile.card_id == card_id, CardFile.name == name))


def where_known(session: Session, sha256: str) -> str | None:
    """Where the same content is kept already, in words; None where it is new."""
    frame = session.execute(
        select(Specimen.catalogue_number, Stack.number, Take.number, Frame.name)
        .join(Stack, Stack.specimen_id == Specimen.id)
        .join(Take, Take.stack_id == Stack.id)
        .join(Frame, Frame.take_id == Take.id)
        .where(Frame.sha256 == sha256)
        .limit(1)
    ).first()
    if frame:
        return f"{frame[3]} of take {frame[2]} of stack {frame[1]} of {frame[0]}"
    file = session.execute(
        select(CardFile.name, Card.name).join(Card).where(CardFile.sha256 == sha256).limit(1)
    ).first()
    return f"{file[0]} of {file[1]}" if file else None


def card_of(session: Session, task: Task) -> Card:
    """The card that a task works on."""
    return session.scalars(select(Card).where(Card.task_id == task.id)).one()


def keep_looks(session: Session, card_id: int, looks: list[dict[str, Any]], refused: list[dict[str, Any]]) -> None:
    """Write down what was told by a look at files (``id`` and columns), and which of them cannot be used."""
    session.execute(update(CardFile).where(CardFile.card_id == card_id).values(place=None))
    for rows in (looks, refused):
        if rows:
            session.execute(update(CardFile), rows)


def waiting_stacks(session: Session, most: int) -> list[Stack]:
    """The latest stacks of the cabinet that have no frames yet; the whole of tiles waits for none."""
    # One whose rungs were shot by key has a take without frames: it waits for them.
    none = ~Stack.id.in_(select(Take.stack_id).where(or_(Take.run.is_(None), ~Take.run.has_key("pressed"))))
    query = select(Stack).join(Specimen).where(none, Stack.tile.is_distinct_from(0)).order_by(Stack.id.desc())
    return list(session.scalars(query.limit(most).options(selectinload(Stack.specimen), selectinload(Stack.takes))))


def takes_from(session: Session, card_id: int) -> list[Take]:
    """The takes that were accepted from a card and not thrown away since."""
    of_card = (Take.source == SOURCE, Take.run["card_id"].as_integer() == card_id)
    return list(session.scalars(select(Take).join(Stack).join(Specimen).where(*of_card)))
