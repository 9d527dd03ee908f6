"""A plan worked out: from PLAN.json and a resolved rig to the ladder."""

from amber_ladder.core.optics import Optics, Rig, resolve
from amber_ladder.core.planning import Ladder, Wanted, plan_ladder, sharp_depth_um
from amber_ladder.errors import BadInput
from amber_ladder.formats.plan_json import LadderRequestJson, PlanJson
from amber_ladder.formats.rig_json import RigJson


def ladder_of(request: LadderRequestJson, rig: Rig, optics: Optics) -> Ladder:
    """The ladder for a resolved rig, with the depth that counts as sharp on it. Raises BadInput as plan_ladder."""
    wanted = Wanted(
        near_um=request.near_um,
        sharp_um=sharp_depth_um(rig, optics, request.sharpness.to_core()),
        far_um=request.far_um,
        overlap=request.overlap,
        step_um=request.step_um,
        frames=request.frames,
        budget_s=request.budget_s,
        spare_rungs=request.spare_rungs,
    )
    return plan_ladder(
        optics,
        wanted,
        rail=request.to_rail(),
        timing=request.timing.to_core(),
        bytes_per_frame=request.bytes_per_frame,
    )


def whole_ladder(plan: PlanJson) -> Ladder:
    """The ladder of a plan that holds its rig. Raises BadInput."""
    rig = plan.rig.to_core()
    return ladder_of(plan, rig, resolve(rig))


def stopped(definition: RigJson, f_number: float) -> RigJson:
    """The same rig with its lens, or the iris of its tube lens, at another f-number. Raises BadInput without one."""
    field = {"lens": "f_number", "infinity_objective": "tube_f_number"}.get(definition.train.kind)
    if field is None:
        raise BadInput("this rig has no iris to set", field="marked_f_number")
    return definition.model_copy(update={"train": definition.train.model_copy(update={field: f_number})})
