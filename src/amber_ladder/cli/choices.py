"""What the commands let choose from, and the small files that they read."""

from enum import StrEnum

from pydantic import FiniteFloat, RootModel


class PositionsJson(RootModel[dict[str, FiniteFloat]]):
    """Depth of each frame in the medium, µm, by its file's name."""


class MethodChoice(StrEnum):
    """Ways to merge."""

    AUTO = "auto"
    BLEND = "blend"
    SELECT = "select"
    PYRAMID = "pyramid"


class ExportChoice(StrEnum):
    """Formats to export."""

    OME_TIFF = "ome-tiff"
    PNG = "png"
    JPEG = "jpeg"
    DEPTH_TIFF = "depth-tiff"
    PLY = "ply"
    GLTF = "gltf"
    IIIF = "iiif"
    ANAGLYPH = "anaglyph"
    ROCKING_FILM = "rocking-film"


class MovedChoice(StrEnum):
    """The side of a movement that is shown."""

    AUTO = "auto"
    NEAR = "near"
    FAR = "far"


class OrderChoice(StrEnum):
    """Which end was shot first."""

    AUTO = "auto"
    NEAR_FIRST = "near-first"
    FAR_FIRST = "far-first"
