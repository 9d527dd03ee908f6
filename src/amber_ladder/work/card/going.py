"""Where a stack of a card goes: which planned ladder it is the take of, as far as anything tells."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from amber_ladder.core.optics import Lens
from amber_ladder.formats.metadata import Noted
from amber_ladder.store import cards
from amber_ladder.store.database import Session
from amber_ladder.store.models import Stack
from amber_ladder.work.card.judging import Edits
from amber_ladder.work.stack.views import stack_ladder, stack_rig

_MOST_ASKED = 60  # ladders that still wait for a take: the latest
_SAME_APERTURE = 0.1  # of the marked f-number: cameras round it


@dataclass(frozen=True, slots=True)
class Goes:
    """A stack of the cabinet with the rungs it was planned with. ``why`` it goes there, None by a person's word."""

    stack_id: int
    label: str
    rungs: int
    why: str | None


@dataclass(frozen=True, slots=True)
class Asked:
    """A stack of a card: its files, how many take no part, the size of its frames (px), whether it still ``waits``,

    and what the camera noted with its first frame.
    """

    files: Sequence[int]
    left_out: int
    size: tuple[int, int]
    waits: bool
    noted: Noted


@dataclass(frozen=True, slots=True)
class _Waiting:
    """A ladder of the cabinet without a take: its rungs, the size of its rig's frames, and what its lens is set to."""

    stack: Stack
    rungs: int
    size: list[int]
    f_number: float | None


def goes_where(session: Session, pieces: Sequence[Asked], edits: Edits) -> list[Goes | None]:
    """For each where it goes; None where nothing tells.

    A person's word counts. Otherwise a ladder is named only if it is the one, of those that wait for their first take,
    with as many rungs and with the rig's sensor of that size; and only for one piece. Of several such ladders the
    aperture and the time that the camera noted may leave one: see :func:`_told_apart`. Pieces that all fit the tiles of
    one set, and are as many as it still waits for, are these in their order.
    """
    waiting = _waiting(session)
    nothing: tuple[list[_Waiting], str] = ([], "")
    fits = [_fitting(waiting, one) if one.waits and one.files[0] not in edits.stacks else nothing for one in pieces]
    tiles = _tiles_in_turn([fit for fit, _ in fits])
    wanted = Counter(one.stack.id for fit, _ in fits for one in fit)
    told: list[Goes | None] = []
    for number, (one, (fit, more)) in enumerate(zip(pieces, fits, strict=True)):
        chosen = session.get(Stack, edits.stacks[one.files[0]]) if one.files[0] in edits.stacks else None
        if chosen is not None:
            told.append(Goes(chosen.id, label_of(chosen), stack_ladder(chosen)[0].frames, None))
        elif number in tiles:
            found = tiles[number]
            why = f"as many takes of {found.rungs} rungs lie here as tiles wait to be shot, in this order"
            told.append(Goes(found.stack.id, label_of(found.stack), found.rungs, why))
        elif len(fit) == 1 and wanted[fit[0].stack.id] == 1:
            (found,) = fit
            why = f"it waits for its first take, has {found.rungs} rungs too, and its rig frames of this size{more}"
            told.append(Goes(found.stack.id, label_of(found.stack), found.rungs, why))
        else:
            told.append(None)
    return told


def _tiles_in_turn(fits: Sequence[Sequence[_Waiting]]) -> dict[int, _Waiting]:
    """Which tile each piece is, by the piece's place; empty where other ladders fit too, or not all tiles are here."""
    asked = [number for number, fit in enumerate(fits) if fit]
    waiting = {one.stack.id: one for number in asked for one in fits[number]}
    sets = {one.stack.tile_set_id for one in waiting.values()}
    alike = all({one.stack.id for one in fits[number]} == waiting.keys() for number in asked)
    if None in sets or len(sets) != 1 or not alike or len(asked) != len(waiting):
        return {}
    in_turn = sorted(waiting.values(), key=lambda one: one.stack.tile or 0)
    return dict(zip(asked, in_turn, strict=True))


def _fitting(waiting: Sequence[_Waiting], one: Asked) -> tuple[list[_Waiting], str]:
    """The ladders that it may be a take of, and what tells them from others with as many rungs."""
    counts = (len(one.files), len(one.files) - one.left_out)
    fit = [each for each in waiting if each.rungs in counts and each.size == sorted(one.size)]
    if len(fit) < 2:
        return fit, ""
    return _told_apart(fit, one.noted)


def _told_apart(fit: list[_Waiting], noted: Noted) -> tuple[list[_Waiting], str]:
    """Of ladders that fit alike those with the aperture that the camera noted, planned on the day it was shot, before.

    Times without a zone are taken for the station's.
    """
    why = ""
    if noted.f_number:
        marked = noted.f_number
        same = [each for each in fit if each.f_number and abs(each.f_number / marked - 1.0) < _SAME_APERTURE]
        if same and len(same) < len(fit):
            fit, why = same, f"{why}, and is set to f/{marked:.3g}"
    if noted.captured_at and len(fit) > 1:
        shot = noted.captured_at.astimezone()
        planned = [(each, each.stack.created_at.astimezone()) for each in fit]
        that_day = [each for each, at in planned if at <= shot and at.date() == shot.date()]
        if that_day and len(that_day) < len(fit):
            fit, why = that_day, f"{why}, and was planned on the day it was shot, before"
    return fit, why


def label_of(stack: Stack) -> str:
    """A stack by its specimen."""
    return f"{stack.specimen.catalogue_number} {stack.specimen.name}, stack {stack.number}"


def _waiting(session: Session) -> list[_Waiting]:
    """The latest stacks without a take."""
    found = []
    for stack in cards.waiting_stacks(session, _MOST_ASKED):
        rig = stack_rig(stack).to_core()
        f_number = rig.train.f_number if isinstance(rig.train, Lens) else None
        size = sorted((rig.sensor.width_px, rig.sensor.height_px))
        found.append(_Waiting(stack, stack_ladder(stack)[0].frames, size, f_number))
    return found
