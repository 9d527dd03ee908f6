"""What the bench is set up for: a stack, its rig and plan worked out, and what stands on the bench."""

from dataclasses import dataclass

from amber_ladder.core.optics import Optics, resolve
from amber_ladder.core.planning import Ladder
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.store import single
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Stack
from amber_ladder.store.single_models import Bench
from amber_ladder.work.on_disk.planning import ladder_of
from amber_ladder.work.shoot.views import BenchSettings
from amber_ladder.work.stack.views import stack_plan, stack_rig


@dataclass(frozen=True, slots=True)
class Setup:
    """The stack that the bench is set up for."""

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


def setup_of(stack: Stack) -> Setup:
    """A stack's rig and plan, worked out."""
    specimen = stack.specimen
    label = f"{specimen.catalogue_number} {specimen.name}, stack {stack.number}"
    rig, plan = stack_rig(stack), stack_plan(stack)
    core = rig.to_core()
    optics = resolve(core)
    return Setup(
        stack.id, label, specimen.kind, stack.rig_id, stack.rig_name, stack.rig_version, rig, plan,
        ladder_of(plan, core, optics), optics, specimen.id,
    )  # fmt: skip


def bench_settings() -> BenchSettings:
    """What stands on the bench, as it was saved last."""
    with transaction() as session:
        return BenchSettings.model_validate(single.load(session, Bench))


def keep_settings(settings: BenchSettings) -> None:
    """Save what stands on the bench."""
    with transaction() as session:
        single.save(session, Bench, settings.model_dump())
