"""How all frames of a take are developed: tried on one frame, then set for all. Originals stay as they are."""

import cv2
import numpy as np

from amber_ladder.core.colour import encode_srgb
from amber_ladder.core.developing import Multipliers, WhiteBalance
from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.formats.development_json import DevelopmentJson
from amber_ladder.formats.rig_json import Strict
from amber_ladder.formats.tiles import full_jpeg
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Take
from amber_ladder.work.journal import changing
from amber_ladder.work.merge.developed import one_frame
from amber_ladder.work.on_disk.developing import Developer
from amber_ladder.work.sort.grey_card import balance_beside
from amber_ladder.work.stack.views import TakeView, take_view

_PREVIEW_PX = 1200
_AS_IT_LIES = 1


class DevelopmentEntry(Strict):
    """How all frames of a take shall be developed; None for as they are (raw: as shot)."""

    development: DevelopmentJson | None


def set_development(take_id: int, entry: DevelopmentEntry) -> TakeView:
    """Set it for every merge to come. Raises NotFound, BadInput, and Conflict while the take is being shot."""
    with transaction() as session:
        take = stacks.get_take(session, take_id)
        told = None
        if entry.development is not None:
            told = entry.development.model_dump(mode="json")
            told["multipliers"] = [round(one, 6) for one in _developer(session, take, entry.development).multipliers]
        words = f"development of take {take.number} {'set' if told else 'taken back: frames as they are'}"
        with changing(session, words, take):
            take.development = told
        return take_view(take)


def preview(take_id: int, frame_id: int, entry: DevelopmentJson) -> bytes:
    """A JPEG of one frame developed so, at most 1200 px wide. Raises NotFound, BadInput, UnreadablePicture."""
    with transaction() as session:
        take = stacks.get_take(session, take_id)
        if frame_id not in {frame.id for frame in take.frames}:
            raise NotFound(f"take {take.number} has no frame {frame_id}")
        developer = _developer(session, take, entry)
        frame = one_frame(FrameStore(settings().data), stacks.get_frame(session, frame_id))
    picture = developer.picture(frame.undeveloped())
    share = min(1.0, _PREVIEW_PX / picture.shape[1])
    size = (round(picture.shape[1] * share), round(picture.shape[0] * share))
    small = np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.uint16)
    if entry.tone == "linear":  # shown as a display would show that light
        small = np.asarray(65535 * encode_srgb(small.astype(np.float32) / np.float32(65535)), np.uint16)
    return full_jpeg(small)


def _developer(session: Session, take: Take, entry: DevelopmentJson) -> Developer:
    if not take.complete:
        raise Conflict("this take is not complete: finish shooting or adding files first")
    store = FrameStore(settings().data)
    # Frames that take no part as well: a grey card may stand beside the series.
    frames = sorted(take.frames, key=lambda frame: frame.left_out is not None)
    told = [one_frame(store, frame).undeveloped() for frame in frames]
    told = [one for one in told if one.raw == told[0].raw]
    if not told:
        raise BadInput("this take holds no frame to develop")
    balance: WhiteBalance | Multipliers | None = _kept(take, entry)
    if balance is None:
        balance, beside = balance_beside(session, take, entry.balance(), {frame.name for frame in frames})
        if beside and beside[0].raw != told[0].raw:
            kinds = ("raw", "are not") if beside[0].raw else ("no raw", "are")
            raise BadInput(
                f"{beside[0].name} is {kinds[0]} file and the frames {kinds[1]}: their white balance differs"
            )
        told += beside
    return Developer(told, entry.to_core(), balance, orientation=_AS_IT_LIES)


def _kept(take: Take, entry: DevelopmentJson) -> Multipliers | None:
    """What the same white balance came to when it was set: the file it was taken from may be gone by now."""
    kept = take.development
    asked = entry.model_dump(mode="json")["white_balance"]
    if not kept or asked == "as_shot" or kept["white_balance"] != asked:
        return None
    red, green, blue = kept["multipliers"]
    return red, green, blue
