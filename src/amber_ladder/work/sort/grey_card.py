"""Files that were shot beside a take, on the same card: one of them may show a grey card."""

from dataclasses import dataclass, replace

from amber_ladder.core.developing import WhiteBalance, as_it_lies
from amber_ladder.formats.pictures import RAW_NAMES
from amber_ladder.settings import settings
from amber_ladder.store import cards, stacks
from amber_ladder.store.card_models import CardFile
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Take
from amber_ladder.work.on_disk.developing import Undeveloped
from amber_ladder.work.on_disk.developing_alike import OneFrame

_MOST = 24


@dataclass(frozen=True, slots=True)
class BesideView:
    """A file of the take's card that is no frame of it; ``frames_off`` is how many files it lies from it, −1 before."""

    id: int
    name: str
    frames_off: int


def beside(take_id: int) -> list[BesideView]:
    """The nearest files of the take's card that are none of its frames, in shooting order. Raises NotFound."""
    with transaction() as session:
        take = stacks.get_take(session, take_id)
        own, files = _of_card(session, take)
        names = {frame.name for frame in take.frames}  # without folders: one that is called so, too, could not be told
        places = [file.place for file in files if file.id in own and file.place is not None]
        if not places:
            return []
        first, last = min(places), max(places)
        found = [
            BesideView(file.id, file.name, min(file.place - first, 0) or max(file.place - last, 0))
            for file in files
            if file.place is not None and file.id not in own and file.name not in names
        ]
    nearest = sorted(found, key=lambda one: abs(one.frames_off))[:_MOST]
    return sorted(nearest, key=lambda one: one.frames_off)


def balance_beside(
    session: Session, take: Take, balance: WhiteBalance, names: set[str]
) -> tuple[WhiteBalance, list[Undeveloped]]:
    """A neutral place in a file of the take's card, as that file lies, with the file itself.

    Anything else, a place in one of the frames (``names``) too, comes back as it is, with no file.
    """
    if isinstance(balance, str) or balance.file in names:
        return balance, []
    _, files = _of_card(session, take)
    file = next((one for one in files if one.name == balance.file and one.place is not None), None)
    if file is None:
        return balance, []
    told = _as_frame(file).undeveloped()
    turned = int((file.noted or {}).get("orientation", 1))
    x, y = as_it_lies(int(balance.x), int(balance.y), (told.width_px, told.height_px), turned)
    return replace(balance, x=float(x), y=float(y)), [told]


def _of_card(session: Session, take: Take) -> tuple[set[int], list[CardFile]]:
    """The files of a card that a take was accepted from, and all that are on it; none for other takes."""
    run = take.run or {}
    if take.source != cards.SOURCE:
        return set(), []
    return set(run["files"]), cards.files_of(session, run["card_id"])


def _as_frame(file: CardFile) -> OneFrame:
    sha256, suffix = file.sha256 or "", file.suffix or ""
    path = FrameStore(settings().data).original(sha256, suffix)
    bits = 16 if suffix in RAW_NAMES else file.bits or 8
    return OneFrame(file.name, path, sha256, file.width_px or 0, file.height_px or 0, bits)
