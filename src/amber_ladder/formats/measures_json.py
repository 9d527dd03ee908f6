"""MEASURES.json: what is to be measured on a merged picture, as users write it. Places are px of the composite."""

from typing import Annotated, Literal

from pydantic import Field, model_validator

from amber_ladder.core.measuring import KINDS, PICK_PX, ReferenceKind
from amber_ladder.formats.rig_json import RefractiveIndex, Strict

_MOST_MEASURES, _MOST_POINTS = 2_000, 1_000

KindName = Literal[
    "length", "length_3d", "length_surface", "height", "angle", "angle_3d", "circle", "sphere", "area", "area_surface",
    "volume", "tilt", "dihedral", "roughness", "roughness_line", "profile", "count",
]  # fmt: skip
FocusedBy = Literal["rail", "ring", "unknown"]
Px = Annotated[float, Field(ge=-1, le=65_000, allow_inf_nan=False)]
Place = tuple[Px, Px]
Places = Annotated[list[Place], Field(max_length=_MOST_POINTS)]


class MeasureJson(Strict):
    """One measure: a kind, and the places it is taken at."""

    name: Annotated[str, Field(max_length=120)] = ""
    kind: KindName
    points: Places
    points_b: Places | None = None

    @model_validator(mode="after")
    def _two_faces(self) -> "MeasureJson":
        if (self.kind == "dihedral") != (self.points_b is not None):
            raise ValueError("points_b is the outline of the second face of a dihedral, and of nothing else")
        return self


class ScaleJson(Strict):
    """µm in a pixel, with its standard uncertainty where somebody measured it."""

    um_per_px: Annotated[float, Field(gt=0, le=1e4, allow_inf_nan=False, description="µm")]
    u_um_per_px: Annotated[float, Field(ge=0, le=1e4, allow_inf_nan=False, description="µm")] | None = None


class ReferenceJson(Strict):
    """Something of known size in the very picture: its kind, places on it, and its size.

    ``two_points`` are its ends, of ``coin`` and ``ball`` three places or more beside the rim, of a ``ruling`` two
    opposite corners. ``size_um`` is how long, how wide, or from line to line; ``tolerance_percent`` how true that is,
    as its maker says: without it a usual one is assumed.
    """

    kind: ReferenceKind
    points: Annotated[Places, Field(min_length=2, max_length=60)]
    size_um: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False, description="µm")]
    tolerance_percent: Annotated[float, Field(ge=0, le=20, allow_inf_nan=False, description="%")] | None = None


class MediumJson(Strict):
    """What the specimen lies in. Depths of a merge are in the medium already: this says how well its index is known."""

    index: RefractiveIndex
    u_index: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.0


class TravelJson(Strict):
    """How true the distances between the frames are: relative standard uncertainty, and what of that is assumed."""

    u: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
    assumed: Annotated[list[Annotated[str, Field(max_length=200)]], Field(max_length=10)] = Field(default_factory=list)


class MeasuresJson(Strict):
    """The measures, and what is known of scale, medium and picking; without a scale the merge's own counts.

    ``reference`` gives the scale from something in the picture itself; then there is no ``scale``. Without ``travel``
    the frames are taken to lie as a good rail's do.
    """

    version: Literal[1] = 1
    scale: ScaleJson | None = None
    reference: ReferenceJson | None = None
    medium: MediumJson | None = None
    pick_px: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = PICK_PX
    focused_by: FocusedBy = "unknown"
    travel: TravelJson | None = None
    measures: Annotated[list[MeasureJson], Field(max_length=_MOST_MEASURES)]

    @model_validator(mode="after")
    def _one_scale(self) -> "MeasuresJson":
        if self.scale is not None and self.reference is not None:
            raise ValueError("give a scale, or a reference in the picture, not both")
        return self


assert set(KINDS) == set(KindName.__args__), "every kind can be written"  # type: ignore[attr-defined]
