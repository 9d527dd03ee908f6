"""The parts shelf: bodies, lenses, objectives, tubes, rails and lights."""

from dataclasses import dataclass
from typing import Annotated

from pydantic import StringConstraints, TypeAdapter

from amber_ladder.errors import Stale
from amber_ladder.formats.part_json import PartJson
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import rigs
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Part
from amber_ladder.work.journal import added, changing

_ANY: TypeAdapter[PartJson] = TypeAdapter(PartJson)


class PartEntry(Strict):
    """A part as a person enters it."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
    part: PartJson


@dataclass(frozen=True, slots=True)
class PartView:
    """A part on the shelf."""

    id: int
    name: str
    part: PartJson
    revision: int


def shelf() -> list[PartView]:
    """All parts."""
    with transaction() as session:
        return [_view(part) for part in rigs.parts(session)]


def add_part(entry: PartEntry) -> PartView:
    """Put a part on the shelf. Raises Conflict."""
    with transaction() as session:
        part = Part(name=entry.name, kind=entry.part.kind, definition=entry.part.model_dump(mode="json"))
        rigs.save_part(session, part)
        added(session, f"{part.kind} {part.name} put on the shelf", part)
        return _view(part)


def edit_part(part_id: int, entry: PartEntry, *, seen: int | None = None) -> PartView:
    """Correct a part; rigs that were put together from it keep what they have.

    ``seen`` is the revision that the correction started from. Raises NotFound, Conflict, and Stale.
    """
    with transaction() as session:
        part = rigs.get_part(session, part_id, locked=True)
        if seen is not None and seen != part.revision:
            raise Stale("this part")
        with changing(session, f"{part.kind} {part.name} corrected", part):
            part.revision += 1
            part.name, part.kind, part.definition = entry.name, entry.part.kind, entry.part.model_dump(mode="json")
            rigs.save_part(session, part)
        return _view(part)


def _view(part: Part) -> PartView:
    return PartView(part.id, part.name, _ANY.validate_python(part.definition), part.revision)
