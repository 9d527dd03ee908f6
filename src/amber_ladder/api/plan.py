"""Plan."""

from fastapi import APIRouter

from amber_ladder.api.problems import RESPONSES
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import RigJson, Strict
from amber_ladder.work import plan
from amber_ladder.work.views import LadderView, StackView

router = APIRouter(tags=["plan"], responses=RESPONSES)


class PlanPreview(Strict):
    """A rig, in the specimen's medium, and what is wanted of it."""

    rig: RigJson
    plan: LadderRequestJson


@router.post("/plan/preview")
def try_out_plan(entry: PlanPreview) -> LadderView:
    """The ladder as it would be."""
    return plan.try_out(entry.rig, entry.plan)


@router.post("/specimens/{specimen_id}/stacks", status_code=201)
def save_ladder(specimen_id: int, entry: plan.PlanEntry) -> StackView:
    """Save a ladder as a new stack."""
    return plan.save_ladder(specimen_id, entry)


@router.put("/stacks/{stack_id}/plan")
def change_ladder(stack_id: int, entry: plan.PlanEntry) -> StackView:
    """Plan anew what was not shot yet."""
    return plan.change_ladder(stack_id, entry)


@router.get("/stacks/{stack_id}")
def read_stack(stack_id: int) -> StackView:
    """A stack with all that its stages show."""
    return plan.read_stack(stack_id)
