"""Parts as users enter them: what is printed on them or in their data sheet."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from amber_ladder.formats.plan_json import Click, Position, Seconds
from amber_ladder.formats.rig_json import FNumber, Magnification, Millimetres, NumericalAperture, SensorJson, Strict


class BodyJson(SensorJson):
    """A camera body: its sensor, and how long a file takes to the card."""

    kind: Literal["body"] = "body"
    transfer_s: Seconds = 0.0


class LensPartJson(Strict):
    """A camera lens."""

    kind: Literal["lens"] = "lens"
    focal_mm: Millimetres
    f_number: FNumber
    pupil_magnification: Annotated[float, Field(gt=0, le=20, allow_inf_nan=False)] | None = None
    largest_magnification: Magnification | None = None
    image_circle_mm: Millimetres | None = None
    working_distance_mm: Millimetres | None = None


class ObjectivePartJson(Strict):
    """A microscope objective, for a tube lens (infinity) or a mechanical tube (finite)."""

    kind: Literal["objective"] = "objective"
    corrected: Literal["infinity", "finite"] = "infinity"
    nominal_magnification: Magnification
    na: NumericalAperture
    design_tube_mm: Millimetres
    image_circle_mm: Millimetres | None = None
    working_distance_mm: Millimetres | None = None


class TubePartJson(Strict):
    """A tube lens, with an iris or without, or a bare tube."""

    kind: Literal["tube"] = "tube"
    tube_mm: Millimetres
    tube_f_number: FNumber | None = None


class RailPartJson(Strict):
    """A rail."""

    kind: Literal["rail"] = "rail"
    click_um: Click
    min_um: Position | None = None
    max_um: Position | None = None
    backlash_um: Annotated[float, Field(ge=0, le=1e5, allow_inf_nan=False, description="µm")] = 0.0

    @model_validator(mode="after")
    def _travel(self) -> "RailPartJson":
        if self.min_um is not None and self.max_um is not None and self.max_um <= self.min_um:
            raise ValueError("the rail's travel must end beyond where it begins")
        return self


class LightPartJson(Strict):
    """A flash: how long it recycles after a full pop."""

    kind: Literal["light"] = "light"
    recycle_s: Seconds


PartJson = Annotated[
    BodyJson | LensPartJson | ObjectivePartJson | TubePartJson | RailPartJson | LightPartJson,
    Field(discriminator="kind"),
]
