"""One moment of the live view, encoded for the page."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import in_focus
from amber_ladder.devices.protocols import LiveView
from amber_ladder.errors import DeviceTrouble
from amber_ladder.work.shoot.place import PlaceWatch
from amber_ladder.work.shoot.views import GrowthView, PlaceView, RunView, SearchView

WIDTH_PX = 704
_LOUPE_PX = 300
_SOMETHING = 0.0006  # share of pixels in focus, above which something is
_AMBER_BGRA = (52, 180, 242, 235)


@dataclass(frozen=True, slots=True)
class LivePictures:
    """JPEG of the field, PNG of the edges in focus, JPEG of the loupe, the sharpness, what a marked place gives;

    empty without a live view.
    """

    picture: bytes = b""
    edges: bytes = b""
    loupe: bytes = b""
    sharpness: float | None = None
    place: PlaceView | None = None


@dataclass(frozen=True, slots=True)
class LiveFrame:
    """Pictures and figures of one moment."""

    pictures: LivePictures
    position_um: float | None
    moving: bool
    run: RunView | None
    growth: GrowthView | None
    ready_in_s: float
    search: SearchView | None


def look(
    live: LiveView | None, loupe: tuple[float, float] | None, place: PlaceWatch | None, lamp_deg: float | None
) -> LivePictures:
    """What the camera sees now, and what a marked place gives; nothing while the rail that it looks at is away."""
    if live is None:
        return LivePictures()
    try:
        rgb = live.live(WIDTH_PX)
        focus = in_focus(_grey(rgb))
        magnified = _jpeg(live.loupe(*loupe, _LOUPE_PX)) if loupe else b""
        read = place.read(rgb, lamp_deg) if place else None
        return LivePictures(_jpeg(rgb), _marks(focus.edges), magnified, focus.sharpness, read)
    except DeviceTrouble:
        return LivePictures()


def anything_in_focus(rgb: NDArray[np.uint8]) -> bool:
    """Whether a picture (H, W, 3) of the live view's size shows anything in focus."""
    return float(in_focus(_grey(rgb)).edges.mean()) > _SOMETHING


def _grey(rgb: NDArray[np.uint8]) -> NDArray[np.float32]:
    return np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255)


def _jpeg(rgb: NDArray[np.uint8]) -> bytes:
    return bytes(cv2.imencode(".jpg", rgb[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 82])[1])


def _marks(edges: NDArray[np.bool_]) -> bytes:
    """Amber where edges are in focus, clear elsewhere."""
    marks = np.zeros((*edges.shape, 4), np.uint8)
    marks[edges] = _AMBER_BGRA
    return bytes(cv2.imencode(".png", marks, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1])
