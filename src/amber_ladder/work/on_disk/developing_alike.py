"""Frames of a stack as they are developed before a merge: all alike, by what was set for the first of them."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from amber_ladder.core.developing import Development
from amber_ladder.formats.development_json import DevelopmentJson
from amber_ladder.formats.pictures import RAW_NAMES
from amber_ladder.formats.raw import read_raw_info
from amber_ladder.work.on_disk.developing import Developer, Undeveloped

_AS_IT_LIES = 1  # what is merged lies as on the sensor: a camera that looks straight down notes any orientation


@dataclass(frozen=True, slots=True)
class OneFrame:
    """An original: its name, where it lies, and what is known of it."""

    name: str
    path: Path
    sha256: str
    width_px: int
    height_px: int
    bits: int

    def undeveloped(self) -> Undeveloped:
        """As development takes it. Raises UnreadablePicture for raw that is none."""
        raw = self.path.suffix in RAW_NAMES
        size = (self.width_px, self.height_px)
        if raw:
            told = read_raw_info(self.path)
            size = (told.width_px, told.height_px)
        return Undeveloped(self.name, self.path, raw, *size, 16 if raw else self.bits, _AS_IT_LIES)


def needs_development(paths: Sequence[Path], development: dict[str, Any] | None) -> bool:
    """Whether frames cannot be merged as they are."""
    return development is not None or any(path.suffix in RAW_NAMES for path in paths)


def developer_for(frames: Sequence[OneFrame], development: dict[str, Any] | None) -> Developer:
    """What develops these frames as a take keeps it: DEVELOPMENT.json with the ``multipliers`` that it came to.

    Raises BadInput, UnreadablePicture.
    """
    told = [frame.undeveloped() for frame in frames]
    if development is None:
        return Developer(told, Development(), "as_shot", orientation=_AS_IT_LIES)
    asked = {name: value for name, value in development.items() if name != "multipliers"}
    red, green, blue = development["multipliers"]
    settings = DevelopmentJson.model_validate(asked).to_core()
    return Developer(told, settings, (red, green, blue), orientation=_AS_IT_LIES)
