"""Frames of the bench on their way into the store: written, judged, noted, told."""

import time
from collections.abc import Sequence
from dataclasses import asdict
from datetime import datetime

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import FrameFault
from amber_ladder.core.sorting import Shot
from amber_ladder.errors import UnreadablePicture
from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore, Received
from amber_ladder.store.models import Frame
from amber_ladder.work.patience import patiently
from amber_ladder.work.stack.views import frame_view

PATIENCE_S = 60.0
"""How long the database may be away during a run: the specimen will not wait."""
PATIENCE_TO_END_S = 3600.0
"""The same, and for room on its disk, when something has ended: how it did has to be written down."""


def decoded(content: bytes, *, raw: bool = False) -> NDArray[np.uint8]:
    """A frame as RGB of 8 bits; ``raw`` says that it is camera raw, which looks like TIFF. Raises UnreadablePicture."""
    if raw:
        # Here: most cameras at the bench send JPEG, and need not wait for what raw takes to load.
        from amber_ladder.formats.raw import shown_raw

        return shown_raw(content)
    picture = cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_COLOR_RGB | cv2.IMREAD_IGNORE_ORIENTATION)
    if picture is None:
        raise UnreadablePicture("the frame", "cannot be read: it arrived damaged")
    return np.asarray(picture, np.uint8)


def keep_frame(
    store: FrameStore,
    take_id: int,
    received: Received,
    shot: Shot,
    *,
    suffix: str,
    captured_at: datetime | None,
    faults: Sequence[FrameFault] = (),
) -> int:
    """Give a received file its place and its row, and tell the pages; returns the frame's number.

    The file lies in its place, on the disk, before the row is: a frame that was told of is never lost.
    """

    def write() -> int:
        with transaction() as session:
            take = stacks.get_take(session, take_id)
            frame = Frame(
                name=shot.name,
                sha256=received.sha256,
                suffix=suffix,
                bytes=received.bytes,
                width_px=shot.width_px,
                height_px=shot.height_px,
                bits=shot.bits,
                **stacks.camera_clock(captured_at),
                rung=shot.rung,
                planned_um=shot.planned_um,
                reported_um=shot.reported_um,
                left_out=shot.left_out,
                faults=[asdict(fault) for fault in faults],
            )
            stacks.add_frame(session, take, frame)
            store.adopt(received, suffix)
            session.flush()
            if frame.id is not None:  # None where the very same file was there already
                told = asdict(frame_view(frame))
                told["captured_at"] = frame.captured_at.isoformat() if frame.captured_at else None
                payload = {"stack_id": take.stack_id, "take_id": take_id, "frame": told, "told_at": time.time()}
                tasks.tell(session, "frame", payload)
            return int(frame.id or 0)

    return patiently(write, patience_s=PATIENCE_S)
