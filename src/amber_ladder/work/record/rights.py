"""Whose pictures leave this station, and under which licence: set once, and on each record and package."""

from typing import Annotated

from pydantic import StringConstraints

from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import history, single, tasks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.single_models import StationRow

Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)]


class Rights(Strict):
    """Who took the pictures where a record names nobody else, who holds the rights, the licence, and the house."""

    photographer: Words = ""
    rights_holder: Words = ""
    licence: Words = ""
    institution: Words = ""


def read_rights() -> Rights:
    """As they were set last."""
    with transaction() as session:
        return rights_of(session)


def set_rights(entry: Rights) -> Rights:
    """Set them for all that leaves the station from now on."""
    with transaction() as session:
        single.save(session, StationRow, entry.model_dump())
        tasks.tell(session, "deed", {"id": None})  # other windows show them too
    return entry


def rights_of(session: Session, stack_id: int | None = None) -> Rights:
    """The same within a transaction; for a stack that came from another station, those it came with."""
    return (stack_id is not None and came_with(session, stack_id)) or Rights.model_validate(
        single.load(session, StationRow)
    )


def came_with(session: Session, stack_id: int) -> Rights | None:
    """The rights of a stack that came from another station, as its package told them; None for one of this station."""
    came = history.latest(session, stack_id, "received")
    if came is None:
        return None
    told = came.facts.get("label", {})
    return Rights.model_validate({name: told.get(name, "") for name in ("photographer", "rights_holder", "licence")})
