"""A plan that repairs a stack: as before, but beyond ends that were not reached, and finer where it was too coarse."""

from amber_ladder.core.planning import USUAL_OVERLAP
from amber_ladder.errors import Conflict, NotFound
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.validated import validated
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.ledger_models import LedgerRow
from amber_ladder.store.models import Stack
from amber_ladder.work.ledger.again import Reason, reasons
from amber_ladder.work.ledger.lines import bring_up_to_date
from amber_ladder.work.plan.ladders import PlanEntry, save_ladder
from amber_ladder.work.stack.views import StackView, stack_ladder, stack_plan

_BEYOND = 0.25
_LEAST_STEPS = 5
"""How far beyond an end that was not reached: a share of what was planned, and this many steps at least."""
_SET_ANEW = {"overlap", "step_um", "frames", "budget_s"}


def plan_again(stack_id: int) -> StackView:
    """Start a stack of the same specimen on the same rig whose plan repairs what the ledger says of this one.

    Raises NotFound, and Conflict where no plan would help.
    """
    bring_up_to_date()
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        row = session.get(LedgerRow, stack_id)
        if row is None:
            raise NotFound(f"the ledger has no line for stack {stack_id}")
        found = [one for one in reasons(row) if one.stage == "plan"]
        if not found:
            raise Conflict("another plan would not help here: the ledger says what will")
        plan, specimen_id, rig_id = _repaired(stack, found), stack.specimen_id, stack.rig_id
    words = f"repairs stack {stack.number}: {'; '.join(one.words for one in found)}"
    return save_ladder(specimen_id, PlanEntry(rig_id=rig_id, plan=plan), why=words)


def _repaired(stack: Stack, found: list[Reason]) -> LadderRequestJson:
    before = stack_plan(stack)
    ladder, _ = stack_ladder(stack)
    coarse = any(one.kind == "coarse" for one in found)
    ends = [one.more for one in found if one.kind == "end"]
    # Which end it was is not always told: then both are.
    near, far = (any(one in (which, None) for one in ends) for which in ("near", "far"))
    depth_um = ladder.far_um - before.near_um
    beyond_um = max(_BEYOND * depth_um, _LEAST_STEPS * ladder.step_um)
    # By the sharp depth that counts: what was planned too coarse may have gone by another.
    spacing = {"overlap": USUAL_OVERLAP} if coarse else {"step_um": ladder.step_um}
    told = {
        **before.model_dump(exclude_none=True, exclude=_SET_ANEW | ({"sharpness"} if coarse else set())),
        "near_um": before.near_um - (beyond_um if near else 0.0),
        "far_um": ladder.far_um + (beyond_um if far else 0.0),
        **spacing,
    }
    return validated(LadderRequestJson, told)
