"""The shelf of rigs."""

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.store.models import Rig


def everything(session: Session) -> list[Rig]:
    """All rigs by name."""
    return list(session.scalars(select(Rig).order_by(Rig.name)))


def get(session: Session, rig_id: int) -> Rig:
    """One rig. Raises NotFound."""
    rig = session.get(Rig, rig_id)
    if rig is None:
        raise NotFound(f"there is no rig {rig_id}")
    return rig


def save(session: Session, rig: Rig) -> None:
    """Write a new or changed rig. Raises Conflict when its name is taken."""
    session.add(rig)
    try:
        session.flush()
    except IntegrityError as error:
        raise Conflict(f"a rig is called {rig.name} already: choose another name") from error
