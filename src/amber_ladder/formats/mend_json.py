"""STEPS.json: the steps of a mend, in their order, as users write them. Places are px of the composite."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from amber_ladder.core.mending import Brush, Crop
from amber_ladder.formats.rig_json import Strict

_MOST_STEPS, _MOST_POINTS = 2_000, 10_000

Px = Annotated[float, Field(ge=-65_000, le=65_000, allow_inf_nan=False)]
Place = tuple[Px, Px]
Path = Annotated[list[Place], Field(min_length=1, max_length=_MOST_POINTS)]
Radius = Annotated[float, Field(ge=0.5, le=2_000, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Tone = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class Step(Strict):
    """What all steps have: they can be switched off."""

    off: bool = False


class Stroke(Step):
    """A step along a path, with a round brush."""

    path: Path
    radius_px: Radius
    softness: Share = 1.0
    strength: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 0.85

    def brush(self) -> Brush:
        """As a plain value."""
        return Brush(tuple(self.path), self.radius_px, self.softness, self.strength)


BEST = "best"


class FromFrame(Stroke):
    """Paint from a frame of the stack.

    With ``best`` for a file, ``path`` names the base and the tip of a part: the frame that shows it best is taken, and
    the way from one to the other is found in it.
    """

    kind: Literal["from_frame"]
    file: Annotated[str, Field(min_length=1)]
    align: bool = True
    nudge: Place = (0.0, 0.0)

    @model_validator(mode="after")
    def _base_and_tip(self) -> "FromFrame":
        if self.file == BEST and len(self.path) != 2:
            raise ValueError("the best frame is looked for between two points: the base and the tip of a part")
        return self


class FromMerge(Stroke):
    """Paint from another merge of the same take: the folder it was written to."""

    kind: Literal["from_merge"]
    merge: Annotated[str, Field(min_length=1)]
    align: bool = True
    nudge: Place = (0.0, 0.0)


class Erase(Stroke):
    """Back to the merge."""

    kind: Literal["erase"]
    strength: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 1.0


class Dust(Step):
    """What dust on the sensor left, replaced from frames in which the place was free; ``keep`` names spots to leave."""

    kind: Literal["dust"]
    keep: tuple[Annotated[int, Field(ge=0)], ...] = ()


class Heal(Stroke):
    """Pixels from a place nearby: ``from`` is what comes to lie at the path's first point. Not evidence."""

    kind: Literal["heal"]
    from_: Annotated[Place, Field(alias="from")]
    strength: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 1.0


class Refined(Stroke):
    """A stroke that adds to the ground, or takes from it."""

    ground: bool
    strength: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 1.0


class Ground(Step):
    """What lies farther than so many µm, shows nothing and has no depth (``plain``), or looks like a place: in one

    tone, or darker; ``refined`` by strokes.
    """

    kind: Literal["ground"]
    farther_than_um: Annotated[float, Field(ge=0, allow_inf_nan=False)] | None = None
    plain: bool = False
    like: Place | None = None
    to: Literal["black", "white", "darker"] | tuple[Tone, Tone, Tone] = "black"
    feather_px: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = 3.0
    refined: Annotated[list[Refined], Field(max_length=_MOST_STEPS)] = Field(default_factory=list)

    @model_validator(mode="after")
    def _told_in_one_way(self) -> "Ground":
        if sum((self.farther_than_um is not None, self.plain, self.like is not None)) != 1:
            raise ValueError("name one of farther_than_um, plain and like")
        return self


class Brushed(Step):
    """Over all, or along a path with a brush of ``brush_px``."""

    path: Path | None = None
    brush_px: Radius = 24.0
    softness: Share = 1.0
    strength: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 1.0

    def brush(self) -> Brush | None:
        """As a plain value; None for all over."""
        return Brush(tuple(self.path), self.brush_px, self.softness, self.strength) if self.path else None


class ToneStep(Brushed):
    """Black and white point, gamma and highlights."""

    kind: Literal["tone"]
    black: Tone = 0.0
    white: Tone = 1.0
    gamma: Annotated[float, Field(ge=0.2, le=5, allow_inf_nan=False)] = 1.0
    highlights: Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)] = 0.0

    @model_validator(mode="after")
    def _white_above_black(self) -> "ToneStep":
        if self.white - self.black < 0.01:
            raise ValueError("white must lie above black")
        return self


class Detail(Brushed):
    """Detail, or tone against its surroundings."""

    radius_px: Annotated[float, Field(ge=0.3, le=200, allow_inf_nan=False)]
    amount: Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)]


class Sharpen(Detail):
    """Detail finer than ``radius_px`` strengthened."""

    kind: Literal["sharpen"]


class Contrast(Detail):
    """The same with a large radius: tone against its surroundings."""

    kind: Literal["contrast"]


class CropStep(Step):
    """The part that is kept, turned about its middle. Always the last step."""

    kind: Literal["crop"]
    x: Annotated[int, Field(ge=0, le=65_000)]
    y: Annotated[int, Field(ge=0, le=65_000)]
    width: Annotated[int, Field(ge=1, le=65_000)]
    height: Annotated[int, Field(ge=1, le=65_000)]
    turn_deg: Annotated[float, Field(ge=-180, le=180, allow_inf_nan=False)] = 0.0

    def crop(self) -> Crop:
        """As a plain value."""
        return Crop(self.x, self.y, self.width, self.height, self.turn_deg)


StepJson = Annotated[
    FromFrame | FromMerge | Erase | Dust | Heal | Ground | ToneStep | Sharpen | Contrast | CropStep,
    Field(discriminator="kind"),
]


class StepsJson(Strict):
    """The steps, applied in order."""

    version: Literal[1] = 1
    steps: Annotated[list[StepJson], Field(max_length=_MOST_STEPS)]
