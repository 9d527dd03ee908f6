"""Rigs: the optical trains on the shelf, what each does, what is wrong with it, and which stands on the bench."""

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated

from pydantic import Field, StringConstraints

from amber_ladder.core.optics import (
    Check,
    Drawing,
    Figure,
    FlashChange,
    check_rig,
    draw_rig,
    explain,
    flash_change,
    resolve,
)
from amber_ladder.errors import Stale
from amber_ladder.formats.rig_json import (
    KnobJson,
    MeasuredValuesJson,
    Millimetres,
    RigJson,
    SensorJson,
    Strict,
    TrainJson,
)
from amber_ladder.store import rigs
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Rig
from amber_ladder.work.journal import added, changing
from amber_ladder.work.stack.views import OpticsView, optics_view

PartName = Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)]


class RigEntry(Strict):
    """A rig as a person enters it. What the specimen lies in belongs to the specimen, not the rig."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
    sensor: SensorJson
    train: TrainJson
    measured: MeasuredValuesJson | None = None
    working_distance_mm: Millimetres | None = None
    image_circle_mm: Millimetres | None = None
    knob: KnobJson | None = None
    parts: Annotated[dict[str, PartName], Field(max_length=10)] = Field(default_factory=dict)

    def in_medium(self, medium_index: float = 1.0) -> RigJson:
        """The rig with a specimen in this medium under it."""
        return RigJson(
            sensor=self.sensor,
            train=self.train,
            medium_index=medium_index,
            measured=self.measured,
            working_distance_mm=self.working_distance_mm,
            image_circle_mm=self.image_circle_mm,
            knob=self.knob,
        )


class BenchEntry(Strict):
    """The flash power that is right for the rig on the bench: 1 is full, 0.125 is 1/8."""

    flash_power: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)]


@dataclass(frozen=True, slots=True)
class RigPreview:
    """What a rig does: figures, findings, its drawing, and how the flash must change from the rig on the bench."""

    optics: OpticsView
    figures: list[Figure]
    checks: list[Check]
    drawing: Drawing
    flash: FlashChange | None
    flash_from: str | None


@dataclass(frozen=True, slots=True)
class RigView:
    """A rig on the shelf."""

    id: int
    name: str
    version: int
    rig: RigJson
    parts: dict[str, str]
    on_bench: bool
    flash_power: float | None
    does: RigPreview


@dataclass(frozen=True, slots=True)
class RigVersionView:
    """A rig as it was."""

    number: int
    name: str
    rig: RigJson
    since: datetime


def shelf() -> list[RigView]:
    """All rigs."""
    with transaction() as session:
        bench = rigs.on_bench(session)
        return [_view(rig, bench) for rig in rigs.everything(session)]


def try_out(entry: RigEntry, medium_index: float = 1.0) -> RigPreview:
    """The figures of a rig that is still being entered. Raises BadInput."""
    with transaction() as session:
        return _preview(entry.in_medium(medium_index), rigs.on_bench(session))


def add_rig(entry: RigEntry) -> RigView:
    """Put a rig on the shelf. Raises BadInput, Conflict."""
    with transaction() as session:
        rig = Rig(name=entry.name, definition=_checked(entry), parts=dict(entry.parts), version=1)
        rigs.save(session, rig)
        rigs.keep_version(session, rig)
        added(session, f"rig {rig.name} made", rig)
        return _view(rig, rigs.on_bench(session))


def edit_rig(rig_id: int, entry: RigEntry, *, seen: int | None = None) -> RigView:
    """Change a rig: a new version; stacks keep the one they were planned with.

    ``seen`` is the version that the change started from. Raises BadInput, NotFound, Conflict, and Stale.
    """
    with transaction() as session:
        rig = rigs.get(session, rig_id, locked=True)
        if seen is not None and seen != rig.version:
            raise Stale("this rig")
        with changing(session, f"rig {rig.name} changed", rig):
            change(rig, entry.name, _checked(entry), dict(entry.parts))
            rigs.save(session, rig)
        if rig.version != len(rig.versions):
            rigs.keep_version(session, rig)
        return _view(rig, rigs.on_bench(session))


def change(rig: Rig, name: str, definition: dict[str, object], parts: dict[str, str]) -> None:
    """Give a rig a new state; a version is counted only where something did change."""
    if (rig.name, rig.definition, rig.parts) != (name, definition, parts):
        rig.version += 1
    rig.name, rig.definition, rig.parts = name, definition, parts


def put_on_bench(rig_id: int, entry: BenchEntry) -> RigView:
    """This rig stands on the bench now, with the flash at this power. Raises NotFound."""
    with transaction() as session:
        rig = rigs.get(session, rig_id)
        with changing(session, f"rig {rig.name} put on the bench", rig):
            rig.on_bench_at, rig.flash_power = now(), entry.flash_power
        return _view(rig, rig)


def versions(rig_id: int) -> list[RigVersionView]:
    """A rig as it was, oldest first. Raises NotFound."""
    with transaction() as session:
        return [
            RigVersionView(one.number, one.name, RigJson.model_validate(one.definition), one.created_at)
            for one in rigs.get(session, rig_id).versions
        ]


def _checked(entry: RigEntry) -> dict[str, object]:
    resolve(entry.in_medium().to_core())
    return entry.in_medium().model_dump(mode="json", exclude_none=True)


def _preview(definition: RigJson, bench: Rig | None) -> RigPreview:
    core = definition.to_core()
    optics = resolve(core)
    flash = flash_from_bench(definition, bench)
    return RigPreview(
        optics_view(definition, optics),
        list(explain(core)),
        list(check_rig(core, optics)),
        draw_rig(core, optics),
        flash[1] if flash else None,
        flash[0] if flash else None,
    )


def flash_from_bench(definition: RigJson, bench: Rig | None) -> tuple[str, FlashChange] | None:
    """The rig on the bench, and how its flash must change for another rig; None where nothing stands there."""
    if bench is None or bench.flash_power is None:
        return None
    there = resolve(RigJson.model_validate(bench.definition).to_core())
    here = resolve(definition.to_core())
    return bench.name, flash_change(there.effective_f_number, here.effective_f_number, bench.flash_power)


def _view(rig: Rig, bench: Rig | None) -> RigView:
    definition = RigJson.model_validate(rig.definition)
    on_bench = bench is not None and bench.id == rig.id
    return RigView(
        rig.id, rig.name, rig.version, definition, rig.parts, on_bench, rig.flash_power, _preview(definition, bench)
    )
