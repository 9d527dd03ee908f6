"""PLAN.json: what must be sharp and what the bench allows; and a ladder as it is printed."""

from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationInfo, field_validator, model_validator

from amber_ladder.core import planning
from amber_ladder.core.optics import Optics
from amber_ladder.core.planning import Knob, Ladder, Rail, Timing, reading_at
from amber_ladder.formats.rig_json import KnobJson, RigJson, Strict
from amber_ladder.formats.validated import between

Position = Annotated[float, Field(ge=-1e7, le=1e7, allow_inf_nan=False, description="stage reading, µm")]
Seconds = Annotated[float, Field(ge=0, le=3600, allow_inf_nan=False, description="s")]
Overlap = Annotated[float, Field(allow_inf_nan=False, description="share"), between(0, 0.95, "%", 100)]
Budget = Annotated[
    float, Field(allow_inf_nan=False, description="s"), between(0, 600_000, "min", 1 / 60, beyond_low=True)
]
Mover = Literal["rail", "body", "knob"]
Click = Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False, description="µm")]


class RailJson(Strict):
    """The rail: its smallest move, where its travel ends, and its backlash."""

    click_um: Click | None = None
    min_um: Position | None = None
    max_um: Position | None = None
    backlash_um: Annotated[float, Field(ge=0, le=1e5, allow_inf_nan=False, description="µm")] = 0.0

    @model_validator(mode="after")
    def _travel(self) -> "RailJson":
        if self.min_um is not None and self.max_um is not None and self.max_um <= self.min_um:
            raise ValueError("the rail's travel must end beyond where it begins (max_um above min_um)")
        return self


class FocusUnitJson(Strict):
    """What one step of a body that brackets by itself, or of its focus counter, moves focus by."""

    um_per_unit: Click
    u_um_per_unit: Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False, description="µm")] = 0.0


class SetKnobJson(KnobJson):
    """A rig's knob, and what it reads in divisions when the nearest point is in focus."""

    near_reading: Annotated[float, Field(ge=0, lt=10_000, allow_inf_nan=False)] = 0.0

    @model_validator(mode="after")
    def _within_a_turn(self) -> "SetKnobJson":
        if self.near_reading >= self.divisions_per_turn:
            raise ValueError(f"the knob reads from 0 up to {self.divisions_per_turn}: say what it shows")
        return self


class TimingJson(Strict):
    """Seconds spent on each rung."""

    settle_s: Seconds = 1.0
    exposure_s: Seconds = 0.1
    recycle_s: Seconds = 0.0
    transfer_s: Seconds = 0.0

    def to_core(self) -> Timing:
        """As the core sees it."""
        return Timing(**self.model_dump())


class WaveJson(Strict):
    """Diffraction plus one pixel."""

    kind: Literal["wave"] = "wave"

    def to_core(self) -> planning.Wave:
        """As the core sees it."""
        return planning.Wave()


class PixelsJson(Strict):
    """A blur circle of so many sensor pixels."""

    kind: Literal["pixels"] = "pixels"
    count: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)] = 2.0

    def to_core(self) -> planning.Pixels:
        """As the core sees it."""
        return planning.Pixels(self.count)


class ScreenJson(Strict):
    """One pixel of a picture on a screen."""

    kind: Literal["screen"] = "screen"
    width_px: Annotated[int, Field(ge=16, le=65_000)] = 1920

    def to_core(self) -> planning.Screen:
        """As the core sees it."""
        return planning.Screen(self.width_px)


class PrintJson(Strict):
    """What an eye tells apart on a print."""

    kind: Literal["print"] = "print"
    width_mm: Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False, description="mm")] = 300.0
    distance_mm: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False, description="mm")] = 400.0

    def to_core(self) -> planning.Print:
        """As the core sees it."""
        return planning.Print(self.width_mm, self.distance_mm)


class CircleJson(Strict):
    """A circle of confusion on the sensor."""

    kind: Literal["circle"] = "circle"
    circle_um: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False, description="µm")] = 30.0

    def to_core(self) -> planning.Circle:
        """As the core sees it."""
        return planning.Circle(self.circle_um)


SharpnessJson = Annotated[WaveJson | PixelsJson | ScreenJson | PrintJson | CircleJson, Field(discriminator="kind")]


class LadderRequestJson(Strict):
    """A plan without its rig: the part that belongs to the specimen and the rail.

    Of extent (far_um), spacing (overlap or step_um) and count (frames or budget_s), two are set and the third follows.
    """

    near_um: Position
    far_um: Position | None = None
    overlap: Overlap | None = None
    step_um: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False, description="µm")] | None = None
    frames: Annotated[int, Field(ge=2, le=100_000)] | None = None
    budget_s: Budget | None = None
    spare_rungs: Annotated[int, Field(ge=0, le=100)] = 2
    sharpness: SharpnessJson = WaveJson()
    rail: RailJson | None = None
    focus_unit: FocusUnitJson | None = None
    knob: SetKnobJson | None = None
    timing: TimingJson = TimingJson()
    bytes_per_frame: Annotated[int, Field(ge=0, le=2_000_000_000)] = 0

    @field_validator("far_um")
    @classmethod
    def _far_beyond_near(cls, far_um: float | None, info: ValidationInfo) -> float | None:
        if far_um is not None and "near_um" in info.data and far_um <= info.data["near_um"]:
            raise ValueError("the far point must lie beyond the near point: swap them or set it again")
        return far_um

    @field_validator("focus_unit")
    @classmethod
    def _one_mover(cls, unit: FocusUnitJson | None, info: ValidationInfo) -> FocusUnitJson | None:
        rail = info.data.get("rail")
        if unit and rail and rail.click_um is not None:
            raise ValueError("rail clicks and focus units contradict each other: either the rail moves or the lens")
        return unit

    @field_validator("knob")
    @classmethod
    def _turned_or_driven(cls, knob: SetKnobJson | None, info: ValidationInfo) -> SetKnobJson | None:
        rail = info.data.get("rail")
        if knob and (info.data.get("focus_unit") or (rail and rail.click_um is not None)):
            raise ValueError("a knob, rail clicks and focus units contradict each other: one of them moves the focus")
        return knob

    @property
    def mover(self) -> Mover:
        """Who moves the focus from rung to rung."""
        return "body" if self.focus_unit else "knob" if self.knob else "rail"

    @property
    def moves(self) -> planning.Moves:
        """What is moved: the lens's own focus, or camera and specimen against each other."""
        return "focus_ring" if self.focus_unit or (self.knob and self.knob.moves == "lens") else "rail"

    def to_rail(self) -> Rail:
        """The rail as the core sees it; units of a body are its clicks, and so is what can be set of a knob."""
        rail = Rail(**self.rail.model_dump()) if self.rail else Rail()
        unit, knob = self.focus_unit, self.knob
        click_um = unit.um_per_unit if unit else knob.um_per_division * knob.finest if knob else rail.click_um
        return Rail(click_um, rail.min_um, rail.max_um, rail.backlash_um)

    def to_knob(self) -> Knob | None:
        """The knob as the core sees it, None where none is turned."""
        knob = self.knob
        if knob is None:
            return None
        return Knob(
            knob.um_per_division, knob.divisions_per_turn, self.near_um, knob.near_reading, knob.finest, knob.farther,
            knob.u_um_per_division,
        )  # fmt: skip


class PlanJson(LadderRequestJson):
    """PLAN.json whole."""

    rig: RigJson


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


def ladder_json(ladder: Ladder, request: LadderRequestJson) -> dict[str, Any]:
    """A ladder as ``./ladder plan`` prints it; with a focus unit, also in whole units from the first rung, and with a

    knob what it reads at each rung, as turn and division.
    """
    unit, knob = request.focus_unit, request.to_knob()
    in_units: dict[str, Any] = {} if unit is None else {"step_units": round(ladder.step_um / unit.um_per_unit)}
    if knob:
        in_units["readings"] = [asdict(reading_at(knob, one)) for one in ladder.positions_um]
    return {
        **in_units,
        "step_um": ladder.step_um,
        "step_in_medium_um": ladder.step_in_medium_um,
        "step_near_axis_um": ladder.step_near_axis_um,
        "step_rim_um": ladder.step_rim_um,
        "far_um": ladder.far_um,
        "approach_from_um": ladder.approach_from_um,
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
