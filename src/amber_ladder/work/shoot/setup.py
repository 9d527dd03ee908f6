"""The stack that the bench is set up for: its rig and plan, worked out."""

from dataclasses import dataclass

from amber_ladder.core.optics import Optics, resolve
from amber_ladder.core.planning import Ladder
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.work.on_disk.planning import ladder_of


@dataclass(frozen=True, slots=True)
class Setup:
    """The stack that the bench is set up for."""

    stack_id: int
    label: str
    kind: str
    rig: RigJson
    plan: LadderRequestJson
    ladder: Ladder
    optics: Optics
    seed: int


def setup_for(stack_id: int, label: str, kind: str, rig: RigJson, plan: LadderRequestJson, seed: int) -> Setup:
    """A stack's plan, worked out."""
    core = rig.to_core()
    optics = resolve(core)
    return Setup(stack_id, label, kind, rig, plan, ladder_of(plan, core, optics), optics, seed)
