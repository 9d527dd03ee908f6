"""PLAN.json: what must be sharp and what the bench allows, and the ladder that follows."""

from typing import Annotated, Any

from pydantic import Field, ValidationInfo, field_validator

from amber_ladder.core.optics import Optics, resolve
from amber_ladder.core.planning import Ladder, Timing, plan_ladder
from amber_ladder.formats.rig_json import RigJson, Strict

Position = Annotated[float, Field(ge=-1e7, le=1e7, allow_inf_nan=False, description="stage reading, µm")]
Seconds = Annotated[float, Field(ge=0, le=3600, allow_inf_nan=False, description="s")]


class RailJson(Strict):
    """The rail's smallest move."""

    click_um: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False, description="µm")]


class TimingJson(Strict):
    """Seconds spent on each rung."""

    settle_s: Seconds = 1.0
    exposure_s: Seconds = 0.1
    recycle_s: Seconds = 0.0

    def to_core(self) -> Timing:
        """As the core sees it."""
        return Timing(**self.model_dump())


class LadderRequestJson(Strict):
    """A plan without its rig: the part that belongs to the specimen and the rail."""

    near_um: Position
    far_um: Position
    overlap: Annotated[float, Field(ge=0, le=0.95, allow_inf_nan=False)] = 0.3
    spare_rungs: Annotated[int, Field(ge=0, le=100)] = 2
    rail: RailJson | None = None
    timing: TimingJson = TimingJson()
    bytes_per_frame: Annotated[int, Field(ge=0, le=2_000_000_000)] = 0

    @field_validator("far_um")
    @classmethod
    def _far_beyond_near(cls, far_um: float, info: ValidationInfo) -> float:
        if "near_um" in info.data and far_um <= info.data["near_um"]:
            raise ValueError("the far point must lie beyond the near point: swap them or set it again")
        return far_um

    def plan(self, optics: Optics) -> Ladder:
        """The ladder for a resolved rig. Raises BadInput as :func:`plan_ladder`."""
        return plan_ladder(
            optics,
            near_um=self.near_um,
            far_um=self.far_um,
            overlap=self.overlap,
            spare_rungs=self.spare_rungs,
            click_um=self.rail.click_um if self.rail else None,
            timing=self.timing.to_core(),
            bytes_per_frame=self.bytes_per_frame,
        )


class PlanJson(LadderRequestJson):
    """PLAN.json whole."""

    rig: RigJson

    def ladder(self) -> Ladder:
        """Resolve the rig and plan."""
        return self.plan(resolve(self.rig.to_core()))


def optics_json(optics: Optics) -> dict[str, Any]:
    """A resolved rig as ``./ladder optics`` prints it."""
    depth = optics.sharp_depth_um
    return {
        "magnification": optics.magnification,
        "effective_f_number": optics.effective_f_number,
        "numerical_aperture": optics.numerical_aperture,
        "sharp_depth_um": {
            "wave": depth.wave,
            "detector": depth.detector,
            "geometric": depth.geometric,
            "total": depth.total,
        },
        "detail_um": optics.detail_um,
        "airy_px": optics.airy_px,
        "pixel_um": optics.pixel_um,
        "field_mm": list(optics.field_mm),
        "light_lost_stops": optics.light_lost_stops,
        "warnings": list(optics.warnings),
    }


def ladder_json(ladder: Ladder) -> dict[str, Any]:
    """A ladder as ``./ladder plan`` prints it."""
    return {
        "step_um": ladder.step_um,
        "step_in_medium_um": ladder.step_in_medium_um,
        "frames": ladder.frames,
        "positions_um": list(ladder.positions_um),
        "sharp_depth_um": ladder.sharp_depth_um,
        "overlap": ladder.overlap,
        "worst_blur_px": ladder.worst_blur_px,
        "travel_um": ladder.travel_um,
        "seconds": ladder.seconds,
        "bytes": ladder.bytes,
        "warnings": list(ladder.warnings),
    }
