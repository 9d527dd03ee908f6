"""The scale of a stack's pictures: as its rig was when it was planned, or as it was measured later and applied."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from amber_ladder.core.optics import magnification_is_measured, resolve
from amber_ladder.core.sorting import Shot
from amber_ladder.errors import BadInput
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.store import rigs, stacks
from amber_ladder.store.base import now
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.models import Calibration, Product, Stack
from amber_ladder.work.journal import changing
from amber_ladder.work.stack.series import fills_sensor


@dataclass(frozen=True, slots=True)
class Scale:
    """µm in the specimen for each px, with its standard uncertainty where it was measured.

    ``calibration_id`` is the one that was applied afterwards, None for the scale that the stack was planned with.
    """

    um_per_px: float
    u_um_per_px: float | None
    origin: Literal["nominal", "measured"]
    calibration_id: int | None = None


@dataclass(frozen=True, slots=True)
class ScaleChoice:
    """A scale that a stack may have; ``made_at`` is when it was measured, None for the one it was planned with."""

    calibration_id: int | None
    um_per_px: float
    u_um_per_px: float | None
    origin: Literal["nominal", "measured"]
    made_at: datetime | None
    in_use: bool


def scale_of(stack: Stack) -> Scale:
    """The scale that counts."""
    applied = stack.scale
    if applied is None:
        return planned_scale(stack)
    return Scale(applied["um_per_px"], applied["u_um_per_px"], "measured", applied["calibration_id"])


def scale_of_merge(merge: Product) -> Scale | None:
    """The scale of a merge's pixels, from something in its own picture first.

    None where its frames are not the sensor's own: the rig says nothing of them.
    """
    if merge.reference is not None:
        return Scale(merge.reference["um_per_px"], merge.reference["u_um_per_px"], "measured")
    stack, report = merge.take.stack, merge.report or {}
    if report.get("laid"):
        return scale_of(stack) if report["scale"] else None
    sensor = RigJson.model_validate(stack.rig).to_core().sensor
    first = next(frame for frame in merge.take.frames if frame.name == report["frames_used"][0])
    fills = fills_sensor(Shot(first.name, first.width_px, first.height_px, first.bits), sensor)
    return scale_of(stack) if fills else None


def planned_scale(stack: Stack) -> Scale:
    """The scale as the stack's rig was when it was planned."""
    rig = RigJson.model_validate(stack.rig)
    optics = resolve(rig.to_core())
    if not magnification_is_measured(rig.to_core()):
        return Scale(optics.pixel_um, None, "nominal")
    u = rig.measured.u_magnification if rig.measured else None
    return Scale(optics.pixel_um, optics.pixel_um * u / optics.magnification if u else None, "measured")


def scale_choices(stack_id: int) -> list[ScaleChoice]:
    """The planned scale, then those measured on the stack's rig and not set aside, newest first. Raises NotFound."""
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        planned, used = planned_scale(stack), scale_of(stack).calibration_id
        first = ScaleChoice(None, planned.um_per_px, planned.u_um_per_px, planned.origin, None, used is None)
        measured = [
            ScaleChoice(one.id, _of(one)["um_per_px"], _of(one)["u_um_per_px"], "measured", one.made_at, one.id == used)
            for one in reversed(rigs.get(session, stack.rig_id).calibrations)
            if _usable(one)
        ]
        return [first, *measured]


def apply_scale(stack_id: int, calibration_id: int | None) -> list[ScaleChoice]:
    """Let a stack have a scale that was measured later, or with None the planned one again.

    Raises NotFound, and BadInput for a calibration of another rig, or one that is no scale or was set aside.
    """
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        scale = None if calibration_id is None else _measured(session, stack, calibration_id)
        with changing(session, f"scale of {stack.specimen.catalogue_number}, stack {stack.number} chosen", stack):
            stack.scale = scale
    return scale_choices(stack_id)


def _measured(session: Session, stack: Stack, calibration_id: int) -> dict[str, Any]:
    one = rigs.get_calibration(session, calibration_id)
    if one.rig_id != stack.rig_id or not _usable(one):
        raise BadInput("this is no scale of the stack's own rig, or it was set aside: choose one of the list")
    return {
        "calibration_id": one.id,
        "um_per_px": _of(one)["um_per_px"],
        "u_um_per_px": _of(one)["u_um_per_px"],
        "made_at": one.made_at.isoformat(timespec="seconds"),
        "applied_at": now().isoformat(timespec="seconds"),
    }


def _usable(one: Calibration) -> bool:
    return one.kind == "scale" and one.result is not None and one.set_aside_at is None


def _of(one: Calibration) -> dict[str, Any]:
    assert one.result is not None
    return one.result
