"""Where a stack of a card goes: which planned ladder it is the take of, as far as anything tells."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from amber_ladder.store import cards
from amber_ladder.store.database import Session
from amber_ladder.store.models import Stack
from amber_ladder.work.card.judging import Edits
from amber_ladder.work.stack.views import stack_ladder, stack_rig

_MOST_ASKED = 60  # ladders that still wait for a take: the latest


@dataclass(frozen=True, slots=True)
class Goes:
    """A stack of the cabinet with the rungs it was planned with. ``why`` it goes there, None by a person's word."""

    stack_id: int
    label: str
    rungs: int
    why: str | None


@dataclass(frozen=True, slots=True)
class Asked:
    """A stack of a card: its files, how many take no part, the size of its frames (px), whether it still ``waits``."""

    files: Sequence[int]
    left_out: int
    size: tuple[int, int]
    waits: bool


def goes_where(session: Session, pieces: Sequence[Asked], edits: Edits) -> list[Goes | None]:
    """For each where it goes; None where nothing tells.

    A person's word counts. Otherwise a ladder is named only if it is the one, of those that wait for their first take,
    with as many rungs and with the rig's sensor of that size; and only for one piece.
    """
    waiting = _waiting(session)
    fits = [_fitting(waiting, one) if one.waits and one.files[0] not in edits.stacks else [] for one in pieces]
    wanted = Counter(stack.id for fit in fits for stack, _ in fit)
    told: list[Goes | None] = []
    for one, fit in zip(pieces, fits, strict=True):
        chosen = session.get(Stack, edits.stacks[one.files[0]]) if one.files[0] in edits.stacks else None
        if chosen is not None:
            told.append(Goes(chosen.id, label_of(chosen), stack_ladder(chosen)[0].frames, None))
        elif len(fit) == 1 and wanted[fit[0][0].id] == 1:
            stack, rungs = fit[0]
            why = f"it waits for its first take, has {rungs} rungs too, and its rig frames of this size"
            told.append(Goes(stack.id, label_of(stack), rungs, why))
        else:
            told.append(None)
    return told


def _fitting(waiting: Sequence[tuple[Stack, int, list[int]]], one: Asked) -> list[tuple[Stack, int]]:
    counts = (len(one.files), len(one.files) - one.left_out)
    return [(stack, rungs) for stack, rungs, size in waiting if rungs in counts and size == sorted(one.size)]


def label_of(stack: Stack) -> str:
    """A stack by its specimen."""
    return f"{stack.specimen.catalogue_number} {stack.specimen.name}, stack {stack.number}"


def _waiting(session: Session) -> list[tuple[Stack, int, list[int]]]:
    """The latest stacks without a take, with their rungs and the size of their frames."""
    return [
        (stack, stack_ladder(stack)[0].frames, sorted((rig.sensor.width_px, rig.sensor.height_px)))
        for stack in cards.waiting_stacks(session, _MOST_ASKED)
        if (rig := stack_rig(stack).to_core())
    ]
