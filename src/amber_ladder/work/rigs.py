"""Rigs: the optical trains on the shelf, and what each does."""

from dataclasses import dataclass
from typing import Annotated

from pydantic import StringConstraints

from amber_ladder.core.optics import Figure, explain, resolve
from amber_ladder.formats.rig_json import RigJson, SensorJson, Strict, TrainJson
from amber_ladder.store import rigs
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Rig
from amber_ladder.work.views import OpticsView, optics_view


class RigEntry(Strict):
    """A rig as a person enters it. What the specimen lies in belongs to the specimen, not the rig."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
    sensor: SensorJson
    train: TrainJson

    def in_medium(self, medium_index: float = 1.0) -> RigJson:
        """The rig with a specimen in this medium under it."""
        return RigJson(sensor=self.sensor, train=self.train, medium_index=medium_index)


@dataclass(frozen=True, slots=True)
class RigView:
    """A rig on the shelf."""

    id: int
    name: str
    rig: RigJson
    optics: OpticsView
    figures: list[Figure]


@dataclass(frozen=True, slots=True)
class RigPreview:
    """What a rig would do."""

    optics: OpticsView
    figures: list[Figure]


def shelf() -> list[RigView]:
    """All rigs."""
    with transaction() as session:
        return [_view(rig) for rig in rigs.everything(session)]


def try_out(entry: RigEntry, medium_index: float = 1.0) -> RigPreview:
    """The figures of a rig that is still being entered. Raises BadInput."""
    rig = entry.in_medium(medium_index)
    return RigPreview(optics_view(rig, resolve(rig.to_core())), list(explain(rig.to_core())))


def add_rig(entry: RigEntry) -> RigView:
    """Put a rig on the shelf. Raises BadInput, Conflict."""
    with transaction() as session:
        rig = Rig(name=entry.name, definition=_checked(entry))
        rigs.save(session, rig)
        return _view(rig)


def edit_rig(rig_id: int, entry: RigEntry) -> RigView:
    """Change a rig; stacks keep the one they were planned with. Raises BadInput, NotFound, Conflict."""
    with transaction() as session:
        rig = rigs.get(session, rig_id)
        rig.name, rig.definition = entry.name, _checked(entry)
        rigs.save(session, rig)
        return _view(rig)


def _checked(entry: RigEntry) -> dict[str, object]:
    resolve(entry.in_medium().to_core())
    return entry.in_medium().model_dump(mode="json", exclude_none=True)


def _view(rig: Rig) -> RigView:
    definition = RigJson.model_validate(rig.definition)
    core = definition.to_core()
    return RigView(rig.id, rig.name, definition, optics_view(definition, resolve(core)), list(explain(core)))
