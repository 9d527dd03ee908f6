"""The recipe of a merge as its report keeps it ("made_from"): which frames, at which depths, with which settings."""

from typing import Annotated, Self

from pydantic import Field, model_validator

from amber_ladder.core.fusion import Method, Order, Side
from amber_ladder.formats.rig_json import RigJson, Strict

Finite = Annotated[float, Field(allow_inf_nan=False)]
_MOST_FRAMES = 100_000


class LeftOutJson(Strict):
    """A file that took no part, and why."""

    file: str
    reason: str


class GrowsJson(Strict):
    """By how much a picture can grow a mm of depth, and why."""

    low_per_mm: Finite
    high_per_mm: Finite
    basis: str


class RecipeJson(Strict):
    """``depths_um`` are those of ``frames`` in the medium where known; ``numbers`` count left-out files too."""

    frames: Annotated[list[str], Field(min_length=2, max_length=_MOST_FRAMES)]
    left_out: list[LeftOutJson]
    depths_um: list[Finite] | None = None
    depth_from: str | None = None
    numbers: list[int] | None = None
    method: Method = "auto"
    order: Order = "auto"
    step_um: Finite | None = None
    um_per_px: Finite | None = None
    window_px: Finite
    calm: Finite
    sharp_near_um: Finite | None = None
    sharp_far_um: Finite | None = None
    moved: Side = "auto"
    exclude: tuple[str, ...] = ()
    rig: RigJson | None = None
    grows: GrowsJson | None = None

    @model_validator(mode="after")
    def _one_for_each(self) -> Self:
        for name, told in (("depths_um", self.depths_um), ("numbers", self.numbers)):
            if told is not None and len(told) != len(self.frames):
                raise ValueError(f"{name} must tell of each frame")
        return self
