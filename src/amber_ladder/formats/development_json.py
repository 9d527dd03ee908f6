"""DEVELOPMENT.json: how all frames of a stack are developed, as users write it."""

from typing import Annotated, Literal

from pydantic import Field

from amber_ladder.core.developing import Development, NeutralPlace, WhiteBalance
from amber_ladder.formats.rig_json import Strict

Share = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


class NeutralPlaceJson(Strict):
    """A grey place in one of the frames, px from its upper left corner as it is seen upright."""

    file: str
    x: Annotated[float, Field(ge=0, le=65_000, allow_inf_nan=False)]
    y: Annotated[float, Field(ge=0, le=65_000, allow_inf_nan=False)]
    size_px: Annotated[int, Field(ge=1, le=65_000)] = 16


class DevelopmentJson(Strict):
    """All optional: without any, frames are kept as they are, in 16 bits."""

    white_balance: Literal["as_shot"] | NeutralPlaceJson = "as_shot"
    exposure_stops: Annotated[float, Field(ge=-6, le=6, allow_inf_nan=False)] = 0.0
    black: Annotated[float, Field(ge=0, le=0.25, allow_inf_nan=False)] = 0.0
    highlights: Share = 0.0
    shadows: Share = 0.0
    tone: Literal["display", "linear"] = "display"

    def to_core(self) -> Development:
        """The settings as plain values."""
        return Development(self.exposure_stops, self.black, self.highlights, self.shadows, self.tone)

    def balance(self) -> WhiteBalance:
        """The white balance as a plain value."""
        one = self.white_balance
        return one if isinstance(one, str) else NeutralPlace(one.file, one.x, one.y, one.size_px)
