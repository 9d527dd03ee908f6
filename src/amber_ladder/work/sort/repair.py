"""A ladder for the frames that a take lacks."""

from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import Strict
from amber_ladder.formats.validated import validated
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Stack, Take
from amber_ladder.work.journal import added
from amber_ladder.work.stack.series import holes_of
from amber_ladder.work.stack.views import StackView, stack_ladder, stack_plan, stack_view


class RepairEntry(Strict):
    """The frame after which others are missing."""

    after: str


def plan_repair(take_id: int, entry: RepairEntry) -> StackView:
    """Plan a ladder beside a take's own that fills one of its holes, from the frame before it to the one behind it.

    Where that lies is reckoned from the plan's near end and step: it is said to be assumed. Raises NotFound, BadInput
    for a frame with no hole behind it, and Conflict where nobody knows which end is near.
    """
    with transaction() as session:
        take = stacks.get_take(session, take_id)
        stack = take.stack
        ladder, _ = stack_ladder(stack)
        hole = next((one for one in holes_of(take, ladder) if one.after == entry.after), None)
        if hole is None:
            raise BadInput(f"nothing is missing behind {entry.after}", field="after")
        if (take.run or {})["order"] == "unknown":
            raise Conflict("which end is near is not known: plan the missing rungs by hand, with the rail at the hole")
        near_um = stack_plan(stack).near_um + ladder.step_um * _rungs_before(take, entry.after)
        more = Stack(
            rig_id=stack.rig_id, rig_name=stack.rig_name, rig_version=stack.rig_version, rig=stack.rig,
            plan=_plan(stack, near_um, ladder.step_um, hole.missing).model_dump(mode="json", exclude_none=True),
        )  # fmt: skip
        stacks.add_stack(session, stack.specimen, more)
        words = (
            f"stack {more.number} of {stack.specimen.catalogue_number} planned for the {hole.missing} frames that take "
            f"{take.number} lacks behind {hole.after}; where it begins is reckoned, not measured"
        )
        added(session, words, more)
        session.expire_all()
        return stack_view(stacks.get_stack(session, more.id))


def _rungs_before(take: Take, after: str) -> int:
    """How many rungs lie nearer than this frame, those that are missing counted too."""
    missing = {one["after"]: one["missing"] for one in (take.run or {})["holes"]}
    count = 0
    for frame in take.frames:
        if frame.name == after:
            return count
        count += (frame.left_out is None) + missing.get(frame.name, 0)
    raise BadInput(f"this take has no frame {after}", field="after")


def _plan(stack: Stack, near_um: float, step_um: float, missing: int) -> LadderRequestJson:
    before = stack_plan(stack).model_dump(exclude_none=True)
    spaced = {"overlap": None, "frames": None, "budget_s": None, "step_um": step_um, "spare_rungs": 1}
    ends = {"near_um": near_um, "far_um": near_um + step_um * (missing + 1)}
    return validated(LadderRequestJson, {**before, **spaced, **ends})
