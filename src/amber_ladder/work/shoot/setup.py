"""What the bench is set up for: a stack, its rig and plan worked out, and what stands on the bench."""

from dataclasses import dataclass

import numpy as np

from amber_ladder.core.optics import Optics, resolve
from amber_ladder.core.planning import Ladder
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.store import single
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Stack
from amber_ladder.store.single_models import Bench
from amber_ladder.work.on_disk.planning import ladder_of
from amber_ladder.work.shoot.orders import BenchSettings
from amber_ladder.work.stack.tiles import grid_of, tiles_view
from amber_ladder.work.stack.views import stack_plan, stack_rig

_HAND_OFF = 0.012  # of the field's shorter side: how well a hand comes to a place


@dataclass(frozen=True, slots=True)
class TileOn:
    """The tile that is shot: its place from tile 1 (µm right, down), and where the stage then stands, if that is known.

    ``field_um`` is what of it is used, ``covers_um`` the whole; ``tiles`` are those of the set that are there.
    """

    set_id: int
    number: int
    tiles: int
    place_um: tuple[float, float]
    field_um: tuple[float, float]
    covers_um: tuple[float, float]
    stage_um: tuple[float, float] | None

    def by_hand_um(self, seed: int) -> tuple[float, float]:
        """Where on a simulated specimen the field's middle comes to by hand, from its own middle: about as planned."""
        off = np.random.default_rng([seed, self.number]).normal(0.0, _HAND_OFF * min(self.field_um), 2)
        x, y = (
            place + (field - whole) / 2
            for place, field, whole in zip(self.place_um, self.field_um, self.covers_um, strict=True)
        )
        return float(x + off[0]), float(y + off[1])


@dataclass(frozen=True, slots=True)
class Setup:
    """The stack that the bench is set up for; ``tile`` is None for one by itself.

    ``lies_as`` is whose nearest point is where it is: tiles lie under the lens together.
    """

    stack_id: int
    label: str
    kind: str
    rig_id: int
    rig_name: str
    rig_version: int
    rig: RigJson
    plan: LadderRequestJson
    ladder: Ladder
    optics: Optics
    seed: int
    lies_as: str
    tile: TileOn | None = None


def setup_of(stack: Stack) -> Setup:
    """A stack's rig and plan, worked out."""
    specimen = stack.specimen
    label = f"{specimen.catalogue_number} {specimen.name}, stack {stack.number}"
    if stack.tile:
        label += f", tile {stack.tile}"
    rig, plan = stack_rig(stack), stack_plan(stack)
    core = rig.to_core()
    optics = resolve(core)
    return Setup(
        stack.id, label, specimen.kind, stack.rig_id, stack.rig_name, stack.rig_version, rig, plan,
        ladder_of(plan, core, optics), optics, specimen.id,
        f"set {stack.tile_set_id}" if stack.tile else str(stack.id), tile_on(stack),
    )  # fmt: skip


def tile_on(stack: Stack) -> TileOn | None:
    """The tile that a stack is, None for one by itself and for a whole."""
    view = tiles_view(stack)
    if view is None or stack.tile_set is None or stack.tile_set_id is None or not view.number:
        return None
    line = next(one for one in view.tiles if one.number == view.number)
    return TileOn(
        stack.tile_set_id, line.number, len(view.tiles), (line.x_um, line.y_um), grid_of(stack.tile_set).field_um,
        view.covers_um, line.stage_um,
    )  # fmt: skip


def bench_settings() -> BenchSettings:
    """What stands on the bench, as it was saved last."""
    with transaction() as session:
        return BenchSettings.model_validate(single.load(session, Bench))


def keep_settings(settings: BenchSettings) -> None:
    """Save what stands on the bench."""
    with transaction() as session:
        single.save(session, Bench, settings.model_dump())
