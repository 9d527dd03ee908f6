"""RIG.json: a rig as users write it, checked once here and plain values from then on."""

from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from amber_ladder.core import optics
from amber_ladder.formats.validated import least

Positive = Annotated[float, Field(gt=0, allow_inf_nan=False)]
Micrometres = Annotated[float, Field(gt=0, le=1e7, allow_inf_nan=False, description="µm")]
Millimetres = Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False, description="mm"), least(1e-3)]
Magnification = Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False, description="×"), least(1e-3)]
FNumber = Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False, description="f-number"), least(0.1)]
NumericalAperture = Annotated[float, Field(gt=0, lt=1.7, allow_inf_nan=False), least(1e-4)]
RefractiveIndex = Annotated[float, Field(ge=1, le=3, allow_inf_nan=False)]


class Strict(BaseModel):
    """An entry that is not known is a slip, not a wish."""

    model_config = ConfigDict(extra="forbid")

    @model_validator(mode="before")
    @classmethod
    def _no_truth_for_a_number(cls, values: Any) -> Any:
        # Pydantic takes true for 1: a rail would drive there.
        for name, value in values.items() if isinstance(values, dict) else ():
            field = cls.model_fields.get(name)
            given = value if isinstance(value, list) else [value]
            if field and any(isinstance(one, bool) for one in given) and "bool" not in str(field.annotation):
                raise ValueError(f"{name} must be a number")
        return values


class SensorJson(Strict):
    """The sensor behind the train."""

    width_px: Annotated[int, Field(ge=64, le=65_000)]
    height_px: Annotated[int, Field(ge=64, le=65_000)]
    pixel_um: Annotated[float, Field(gt=0, le=100, allow_inf_nan=False, description="µm"), least(0.01)]


class LensJson(Strict):
    """A camera lens."""

    kind: Literal["lens"] = "lens"
    f_number: FNumber
    magnification: Magnification
    pupil_magnification: Annotated[float, Field(gt=0, le=20, allow_inf_nan=False), least(0.01)] | None = None
    focal_mm: Millimetres | None = None
    extension_mm: Annotated[float, Field(ge=0, le=1e4, allow_inf_nan=False, description="mm")] | None = None
    teleconverter: Annotated[float, Field(ge=0.5, le=4, allow_inf_nan=False)] | None = None

    @model_validator(mode="after")
    def _focal_length_known(self) -> "LensJson":
        if self.extension_mm and self.focal_mm is None:
            raise ValueError("extension tubes need the focal length of the lens (focal_mm)")
        return self

    def to_core(self) -> optics.Lens:
        """As the core sees it."""
        return optics.Lens(**self.model_dump(exclude={"kind"}))


class InfinityObjectiveJson(Strict):
    """An infinity-corrected objective and the tube lens it sits on."""

    kind: Literal["infinity_objective"] = "infinity_objective"
    nominal_magnification: Magnification
    na: NumericalAperture
    design_tube_mm: Millimetres
    tube_mm: Millimetres
    tube_f_number: FNumber | None = None

    def to_core(self) -> optics.InfinityObjective:
        """As the core sees it."""
        return optics.InfinityObjective(**self.model_dump(exclude={"kind"}))


class FiniteObjectiveJson(Strict):
    """An objective made for a mechanical tube, and the tube it sits on."""

    kind: Literal["finite_objective"] = "finite_objective"
    nominal_magnification: Magnification
    na: NumericalAperture
    design_tube_mm: Millimetres
    tube_mm: Millimetres

    def to_core(self) -> optics.FiniteObjective:
        """As the core sees it."""
        return optics.FiniteObjective(**self.model_dump(exclude={"kind"}))


class CoupledJson(Strict):
    """One lens reversed on another."""

    kind: Literal["coupled"] = "coupled"
    rear_focal_mm: Millimetres
    rear_f_number: FNumber
    front_focal_mm: Millimetres
    front_f_number: FNumber

    def to_core(self) -> optics.Coupled:
        """As the core sees it."""
        return optics.Coupled(**self.model_dump(exclude={"kind"}))


class MeasuredJson(Strict):
    """A train known only by what was measured."""

    kind: Literal["measured"] = "measured"
    magnification: Magnification
    na: NumericalAperture | None = None
    effective_f_number: FNumber | None = None

    @model_validator(mode="after")
    def _one_aperture(self) -> "MeasuredJson":
        if (self.na is None) == (self.effective_f_number is None):
            raise ValueError("give either na or effective_f_number, one of the two")
        return self

    def to_core(self) -> optics.Measured:
        """As the core sees it."""
        return optics.Measured(**self.model_dump(exclude={"kind"}))


TrainJson = Annotated[
    LensJson | InfinityObjectiveJson | FiniteObjectiveJson | CoupledJson | MeasuredJson, Field(discriminator="kind")
]


class MeasuredValuesJson(Strict):
    """What was measured on a rig; it stands above what its parts compute to."""

    magnification: Magnification | None = None
    u_magnification: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] | None = None
    na: NumericalAperture | None = None
    effective_f_number: FNumber | None = None

    @model_validator(mode="after")
    def _one_aperture(self) -> "MeasuredValuesJson":
        if self.na is not None and self.effective_f_number is not None:
            raise ValueError("na and effective_f_number contradict each other: give one of the two")
        return self

    def to_core(self) -> optics.MeasuredValues:
        """As the core sees it."""
        return optics.MeasuredValues(**self.model_dump())


class KnobJson(Strict):
    """A knob with an engraved scale that moves focus by hand. Without ``u_um_per_division`` nobody measured the scale.

    ``finest`` is the smallest part of a division that can be set; ``farther`` how the figures run as focus goes deeper;
    ``moves`` what the knob moves: the stage of a microscope, or the lens's own focus.
    """

    um_per_division: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False, description="µm"), least(1e-3)]
    u_um_per_division: Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False, description="µm")] | None = None
    divisions_per_turn: Annotated[int, Field(ge=2, le=10_000)]
    finest: Annotated[float, Field(gt=0, le=10, allow_inf_nan=False), least(1e-3)] = 0.5
    farther: Literal["rising", "falling"] = "rising"
    moves: Literal["stage", "lens"] = "stage"


class RigJson(Strict):
    """Sensor, train, and the light and medium between them and the specimen. ``knob`` is there where one is turned."""

    sensor: SensorJson
    train: TrainJson
    wavelength_nm: Annotated[float, Field(ge=200, le=2000, allow_inf_nan=False, description="nm")] = 550.0
    medium_index: RefractiveIndex = 1.0
    measured: MeasuredValuesJson | None = None
    working_distance_mm: Millimetres | None = None
    image_circle_mm: Millimetres | None = None
    knob: KnobJson | None = None

    def to_core(self) -> optics.Rig:
        """As the core sees it."""
        return optics.Rig(
            optics.Sensor(**self.sensor.model_dump()),
            self.train.to_core(),
            self.wavelength_nm,
            self.medium_index,
            self.measured.to_core() if self.measured else None,
            self.working_distance_mm,
            self.image_circle_mm,
        )

    @classmethod
    def of(cls, rig: optics.Rig) -> "RigJson":
        """As it is written down, from how the core sees it."""
        return cls(
            sensor=SensorJson(**asdict(rig.sensor)),
            train=_TRAINS[type(rig.train)](**asdict(rig.train)),
            wavelength_nm=rig.wavelength_nm,
            medium_index=rig.medium_index,
            measured=MeasuredValuesJson(**asdict(rig.measured)) if rig.measured else None,
            working_distance_mm=rig.working_distance_mm,
            image_circle_mm=rig.image_circle_mm,
        )


_TRAINS: dict[type[Any], type[Any]] = {
    optics.Lens: LensJson,
    optics.InfinityObjective: InfinityObjectiveJson,
    optics.FiniteObjective: FiniteObjectiveJson,
    optics.Coupled: CoupledJson,
    optics.Measured: MeasuredJson,
}
