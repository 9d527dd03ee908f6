"""Frames as the rungs of a ladder show them: small, with what is sharp in them in the light."""

from amber_ladder.core.sorting.run import look_at, sharp_parts, shrunk_by
from amber_ladder.formats.shown import read_shown_shrunk
from amber_ladder.formats.tiles import small_jpeg_of
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore

_HEIGHT_PX = 120


def sharp_of(frame_id: int) -> bytes:
    """A small JPEG of a frame with what is not sharp in it darkened. Raises NotFound, UnreadablePicture."""
    with transaction() as session:
        frame = stacks.get_frame(session, frame_id)
        sha256, suffix = frame.sha256, frame.suffix
    shrunk = read_shown_shrunk(FrameStore(settings().data).original(sha256, suffix), shrunk_by)
    look, _ = look_at(shrunk.rgb, shrunk.factor)
    return small_jpeg_of(sharp_parts(shrunk.rgb, look), _HEIGHT_PX)
