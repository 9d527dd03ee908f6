"""A stack of a card becomes a take: its originals as frames, nearest first where that is known."""

from typing import Annotated, Any

from pydantic import Field

from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import cards, stacks
from amber_ladder.store.card_models import Card, CardFile
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.models import Frame, Stack, Take
from amber_ladder.work.card.looks import noted_from
from amber_ladder.work.card.views import CardStack, CardView, card_view
from amber_ladder.work.journal import did
from amber_ladder.work.stack.presses import SHOT_AGAIN, presses_of
from amber_ladder.work.stack.views import stack_ladder

_NOWHERE = (None, None, None)
_NO_RUNG = frozenset(("duplicate", "odd_size"))
"""Frames that were not shot on a rung of their own."""


class AcceptEntry(Strict):
    """Stacks of a card by their first files."""

    stacks: Annotated[list[int], Field(min_length=1, max_length=2000)]


def accept(card_id: int, entry: AcceptEntry) -> CardView:
    """Make takes of stacks of a card: all that are named, or none. Raises NotFound, BadInput, Conflict."""
    with transaction() as session:
        card = cards.get(session, card_id, locked=True)
        view = card_view(session, card)
        by_first = {one.first: one for one in view.stacks}
        rows = {file.id: file for file in cards.files_of(session, card_id)}
        for first in entry.stacks:
            one = by_first.get(first)
            if one is None:
                raise BadInput("this card has no such stack any more: load the page again", field="stacks")
            if one.accepted is None:  # in another window meanwhile
                _add_take(session, card, one, rows)
        session.flush()
        return card_view(session, card)


def _add_take(session: Session, card: Card, one: CardStack, rows: dict[int, CardFile]) -> None:
    if one.goes is None:
        raise Conflict(f"nobody has said where the stack goes that begins with {rows[one.first].name}: choose it first")
    files = [rows[number] for number in one.files]
    if len(files) - len(one.left_out) < 2:
        raise Conflict(f"fewer than two frames are left of the stack that begins with {files[0].name}")
    stack = stacks.get_stack(session, one.goes.stack_id, locked=True)
    ordered = _ordered(one, files)
    names = _names(ordered)
    run, presses = _run(card, one, names), presses_of(stack)
    if presses is not None:
        run |= presses.told()
    take = Take(source=cards.SOURCE, complete=True, run=run)
    stacks.add_take(session, stack, take)
    for frame in _frames(stack, one, ordered, names):
        frame.take_id = take.id
        session.add(frame)
    session.flush()
    session.expire(take)
    did(session, f"take {take.number} of stack {stack.number} accepted from {card.name}", stack)


def _ordered(one: CardStack, files: list[CardFile]) -> list[CardFile]:
    """Nearest first where that is known, by hand in the order of focus, else as they were shot."""
    if one.order == "far-first":
        return list(reversed(files))
    if not one.focus_order:
        return files
    by_id = {file.id: file for file in files}
    in_focus = [by_id.pop(place.file) for place in one.focus_order]
    return [*in_focus, *by_id.values()]  # where the others lie nobody knows: nothing is sharp in them


def _run(card: Card, one: CardStack, names: dict[int, str]) -> dict[str, Any]:
    """What is known of the take besides its frames, for the record and for merges. Holes from near to far."""
    holes = [{"after": names[hole.after], "before": names[hole.before], "missing": hole.missing} for hole in one.holes]
    if one.order == "far-first":
        holes = [{**hole, "after": hole["before"], "before": hole["after"]} for hole in reversed(holes)]
    return {
        "card_id": card.id, "card": card.name, "files": one.files, "order": one.order, "order_basis": one.order_basis,
        "by_hand": one.by_hand, "near_reached": one.near, "far_reached": one.far,
        "holes": holes, "from_near": one.from_near,
        "focus_order": [
            {"name": names[place.file], "position": place.position, "u": place.u} for place in one.focus_order
        ] if one.focus_order else None,
    }  # fmt: skip


def _frames(stack: Stack, one: CardStack, ordered: list[CardFile], names: dict[int, str]) -> list[Frame]:
    """Nearest first where that is known, else as they were shot; on the plan's rungs where there is one for each."""
    positions = rungs_for(stack, one, ordered)
    left = {out.file: out.reason for out in one.left_out}
    faults: dict[int, list[dict[str, str]]] = {}
    for flag in one.flags:
        faults.setdefault(flag.file, []).append({"kind": flag.kind, "reason": flag.reason})
    return [
        Frame(
            place=place, name=names[file.id], sha256=file.sha256, suffix=file.suffix, bytes=file.bytes,
            width_px=file.width_px, height_px=file.height_px, bits=file.bits,
            **stacks.camera_clock(noted_from(file.noted).captured_at),
            rung=positions.get(file.id, _NOWHERE)[0], planned_um=positions.get(file.id, _NOWHERE)[1],
            left_out=left.get(file.id) or positions.get(file.id, _NOWHERE)[2], faults=faults.get(file.id, []),
        )
        for place, file in enumerate(ordered)
    ]  # fmt: skip


def rungs_for(stack: Stack, one: CardStack, ordered: list[CardFile]) -> dict[int, tuple[int, float, str | None]]:
    """For each file its rung, where that was planned (stage, µm), and why it takes no part if it does not; empty where

    nobody knows which is which.

    Only where it is known which end is near, nothing is missing between, and there are as many files, or as many that
    take part, as rungs: otherwise a plan's figure would pass for a fact. Where a key said at the bench which rungs were
    shot, there must be as many files as presses instead: they are these, as they were shot.
    """
    presses = presses_of(stack)
    copies = {flag.file for flag in one.flags if flag.kind in _NO_RUNG}
    as_shot = [number for number in one.files if number not in copies]
    if presses is not None:
        told = zip(as_shot, presses.pressed, strict=False)
        alike = len(as_shot) == len(presses.pressed)
        return {
            number: (press.rung, press.planned_um, SHOT_AGAIN if press.again else None) for number, press in told
        } if alike else {}  # fmt: skip
    if one.order == "unknown" or one.holes:
        return {}
    planned = stack_ladder(stack)[0].positions_um
    left = {out.file for out in one.left_out}
    for on_rungs in (
        [file for file in ordered if file.id not in copies],
        [file for file in ordered if file.id not in left],
    ):
        if len(on_rungs) == len(planned):
            return {file.id: (rung, planned[rung], None) for rung, file in enumerate(on_rungs)}
    return {}


def _names(files: list[CardFile]) -> dict[int, str]:
    """Names without folders; where two files share one, with them."""
    bare = [file.name.rpartition("/")[2] for file in files]
    return {
        file.id: name if bare.count(name) == 1 else file.name.replace("/", " ")[-255:]
        for file, name in zip(files, bare, strict=True)
    }
