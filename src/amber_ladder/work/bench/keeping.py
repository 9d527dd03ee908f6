"""Frames of the bench on their way into the store: written, judged, noted, told."""

import time
from collections.abc import Callable
from typing import Any, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.bench.devices import Exposure
from amber_ladder.errors import DatabaseAway, UnreadablePicture
from amber_ladder.formats.pictures import SUFFIXES, PictureInfo
from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore, Received
from amber_ladder.store.models import Frame
from amber_ladder.work.views import frame_view

T = TypeVar("T")
_PATIENCE_S = 60.0
_FORMATS = {suffix: format for format, suffix in SUFFIXES.items()}


def decoded(content: bytes) -> NDArray[np.uint8]:
    """A frame as RGB of 8 bits. Raises UnreadablePicture."""
    picture = cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_COLOR_RGB | cv2.IMREAD_IGNORE_ORIENTATION)
    if picture is None:
        raise UnreadablePicture("the frame", "cannot be read: it arrived damaged")
    return np.asarray(picture, np.uint8)


def note_frame(
    store: FrameStore,
    take_id: int,
    received: Received,
    *,
    name: str,
    info: PictureInfo,
    suffix: str,
    rung: int | None,
    position_um: float | None,
    left_out: str | None,
    faults: list[dict[str, Any]],
) -> int:
    """Give a received file its place and its row, and tell the pages; returns the frame's number.

    The file lies in its place, on the disk, before the row is: a frame that was told of is never lost.
    """

    def write() -> int:
        with transaction() as session:
            take = stacks.get_take(session, take_id)
            frame = Frame(
                name=name,
                sha256=received.sha256,
                suffix=suffix,
                bytes=received.bytes,
                width_px=info.width_px,
                height_px=info.height_px,
                bits=info.bits,
                captured_at=info.captured_at,
                rung=rung,
                position_um=position_um,
                left_out=left_out,
                faults=faults,
            )
            stacks.add_frame(session, take, frame)
            store.adopt(received, suffix)
            session.flush()
            if frame.id is not None:  # None where the very same file was there already
                view = frame_view(frame)
                told = {name: getattr(view, name) for name in view.__slots__}
                told["captured_at"] = view.captured_at.isoformat() if view.captured_at else None
                payload = {"stack_id": take.stack_id, "take_id": take_id, "frame": told, "told_at": time.time()}
                tasks.tell(session, "frame", payload)
            return int(frame.id or 0)

    return patiently(write)


def picture_info(picture: NDArray[np.uint8], exposure: Exposure) -> PictureInfo:
    """What is known of a frame that a camera of ours exposed."""
    return PictureInfo(
        _FORMATS[exposure.suffix], picture.shape[1], picture.shape[0], exposure.bits, exposure.captured_at
    )


def patiently(write: Callable[[], T]) -> T:
    """Try again while the database is away, for the specimen will not wait. Raises DatabaseAway."""
    end = time.monotonic() + _PATIENCE_S
    while True:
        try:
            return write()
        except DatabaseAway:
            if time.monotonic() > end:
                raise
            time.sleep(0.5)
