"""Judging the light: a place in the live view, test frames alone and in pairs, every frame of a run as it lands."""

from amber_ladder.core.light._compared import Compared, Softness, brighter_stops, compared, softness
from amber_ladder.core.light._evened import APART, even_out, log_ratio
from amber_ladder.core.light._exposure import GlareSpot, LightReading, RoomLight, read_light, room_light
from amber_ladder.core.light._faults import FrameFault, FrameJudge
from amber_ladder.core.light._mirrored import PlaceLight, place_light
from amber_ladder.core.light._shake import ShakeWatch, detail_along, spread_tiles
from amber_ladder.core.light._specks import Sight, Speck, SpeckWatch, looks_at, sight
from amber_ladder.core.light._watch import Judged, LightWatch

__all__ = [
    "APART",
    "Compared",
    "FrameFault",
    "FrameJudge",
    "GlareSpot",
    "Judged",
    "LightReading",
    "LightWatch",
    "PlaceLight",
    "RoomLight",
    "ShakeWatch",
    "Sight",
    "Softness",
    "Speck",
    "SpeckWatch",
    "brighter_stops",
    "compared",
    "detail_along",
    "even_out",
    "log_ratio",
    "looks_at",
    "place_light",
    "read_light",
    "room_light",
    "sight",
    "softness",
    "spread_tiles",
]
