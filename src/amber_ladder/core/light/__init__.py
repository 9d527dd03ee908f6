"""Judging the light: room light alone, a test frame, and every frame of a run as it lands."""

from amber_ladder.core.light._evened import APART, even_out, log_ratio
from amber_ladder.core.light._exposure import GlareSpot, LightReading, RoomLight, read_light, room_light
from amber_ladder.core.light._faults import FrameFault, FrameJudge
from amber_ladder.core.light._shake import ShakeWatch, detail_along, spread_tiles
from amber_ladder.core.light._specks import Sight, Speck, SpeckWatch, looks_at, sight
from amber_ladder.core.light._watch import Judged, LightWatch

__all__ = [
    "APART",
    "FrameFault",
    "FrameJudge",
    "GlareSpot",
    "Judged",
    "LightReading",
    "LightWatch",
    "RoomLight",
    "ShakeWatch",
    "Sight",
    "Speck",
    "SpeckWatch",
    "detail_along",
    "even_out",
    "log_ratio",
    "looks_at",
    "read_light",
    "room_light",
    "sight",
    "spread_tiles",
]
