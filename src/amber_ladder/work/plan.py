"""Plan: from end points and a rig on the shelf to a saved ladder."""

from amber_ladder.core.optics import resolve
from amber_ladder.errors import Conflict
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import RigJson, Strict
from amber_ladder.store import rigs, specimens, stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Rig, Stack
from amber_ladder.work.views import LadderView, StackView, ladder_view, stack_view


class PlanEntry(Strict):
    """A ladder for a specimen on a rig of the shelf."""

    rig_id: int
    plan: LadderRequestJson


def try_out(rig: RigJson, plan: LadderRequestJson) -> LadderView:
    """The ladder as it would be, without saving anything. Raises BadInput."""
    optics = resolve(rig.to_core())
    return ladder_view(plan.plan(optics), optics)


def save_ladder(specimen_id: int, entry: PlanEntry) -> StackView:
    """Start a stack: the rig and the medium are copied into it. Raises BadInput, NotFound."""
    with transaction() as session:
        specimen = specimens.get(session, specimen_id)
        stack = Stack()
        _fill(stack, rigs.get(session, entry.rig_id), entry.plan, specimen.medium_index)
        stacks.add_stack(session, specimen, stack)
        session.expire_all()
        return stack_view(stacks.get_stack(session, stack.id), len(specimen.stacks))


def change_ladder(stack_id: int, entry: PlanEntry) -> StackView:
    """Plan anew what was not shot yet. Raises BadInput, NotFound, and Conflict once frames exist."""
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        if stack.takes:
            raise Conflict("this ladder has been shot: its plan stays as it was. Save the change as a new stack.")
        _fill(stack, rigs.get(session, entry.rig_id), entry.plan, stack.specimen.medium_index)
        session.flush()
        return stack_view(stack, len(stack.specimen.stacks))


def read_stack(stack_id: int) -> StackView:
    """A stack with all that its stages show. Raises NotFound."""
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        return stack_view(stack, len(stack.specimen.stacks))


def _fill(stack: Stack, rig: Rig, plan: LadderRequestJson, medium_index: float) -> None:
    definition = RigJson.model_validate({**rig.definition, "medium_index": medium_index})
    plan.plan(resolve(definition.to_core()))  # refuses what cannot be planned before anything is kept
    stack.rig_id, stack.rig_name = rig.id, rig.name
    stack.rig = definition.model_dump(mode="json", exclude_none=True)
    stack.plan = plan.model_dump(mode="json", exclude_none=True)
