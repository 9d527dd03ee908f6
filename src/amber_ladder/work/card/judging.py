"""The stacks of a card: as its files told them, as a person changed them, and how each was judged."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from hashlib import sha256
from typing import Any

from amber_ladder.core.sorting.run import Stack, propose, sort_take
from amber_ladder.store import cards
from amber_ladder.store.card_models import Card
from amber_ladder.store.database import Session
from amber_ladder.work.card.looks import seen_file

_BY_HAND = "set by hand"
_JUDGED_AS = 3
"""Goes up when stacks are judged otherwise, or told in another form: those that were judged before are judged anew."""


@dataclass(frozen=True, slots=True)
class Border:
    """Before which file a stack begins, and why; ``by_hand`` where a person said so."""

    before: int
    reason: str
    by_hand: bool


@dataclass(frozen=True, slots=True)
class Edits:
    """What a person changed of what the files told, by the numbers of files.

    ``borders`` says of a file whether a stack begins with it. ``left_out`` gives files with the reason, ``kept`` those
    that take part although something spoke against it. ``stacks`` names for a stack's first file where it goes.
    """

    borders: dict[int, bool] = field(default_factory=dict)
    left_out: dict[int, str] = field(default_factory=dict)
    kept: tuple[int, ...] = ()
    stacks: dict[int, int] = field(default_factory=dict)

    @classmethod
    def of(cls, card: Card) -> "Edits":
        """A card's."""
        return cls.from_json(card.edits)

    @classmethod
    def from_json(cls, told: dict[str, Any]) -> "Edits":
        """As they were kept."""
        return cls(
            {int(key): bool(value) for key, value in told.get("borders", {}).items()},
            {int(key): str(value) for key, value in told.get("left_out", {}).items()},
            tuple(told.get("kept", ())),
            {int(key): int(value) for key, value in told.get("stacks", {}).items()},
        )

    def as_json(self) -> dict[str, Any]:
        """As it is kept."""
        return {
            "borders": {str(key): value for key, value in sorted(self.borders.items())},
            "left_out": {str(key): value for key, value in sorted(self.left_out.items())},
            "kept": sorted(self.kept),
            "stacks": {str(key): value for key, value in sorted(self.stacks.items())},
        }


@dataclass(frozen=True, slots=True)
class Sorted:
    """A card taken apart: pieces of files in the order of shooting, how each was judged, and what lies between."""

    pieces: list[list[int]]
    judged: list[dict[str, Any]]
    borders: list[Border]
    separators: list[int]


def sorted_card(session: Session, card: Card) -> Sorted:
    """A card that was looked at, with a person's changes; stacks that are new by them are judged now, and kept."""
    found, edits = card.found or {"order": [], "borders": [], "separators": [], "strays": {}}, Edits.of(card)
    separators = [number for number in found["separators"] if number not in edits.kept]
    borders = {one["before"]: Border(one["before"], one["reason"], by_hand=False) for one in found["borders"]}
    for number, there in edits.borders.items():
        if not there:
            borders.pop(number, None)
        elif number not in borders:
            borders[number] = Border(number, _BY_HAND, by_hand=True)
    pieces = _pieces(found["order"], set(separators), borders)
    judged = {key: card.judged[key] for piece in pieces if (key := key_of(piece)) in card.judged}
    for piece in pieces:
        if key_of(piece) not in judged:
            judged[key_of(piece)] = _judged(session, piece, found["strays"])
    if judged.keys() != card.judged.keys():
        card.judged = judged
    places = {number: place for place, number in enumerate(found["order"])}
    shown = sorted((one for one in borders.values() if one.before in places), key=lambda one: places[one.before])
    return Sorted(pieces, [judged[key_of(piece)] for piece in pieces], shown, separators)


def key_of(piece: Sequence[int]) -> str:
    """The same for the same files in the same order, and for no others."""
    return sha256(" ".join(map(str, (_JUDGED_AS, *piece))).encode()).hexdigest()[:24]


def stack_json(stack: Stack, order: Sequence[int]) -> dict[str, Any]:
    """A stack as it was judged, by the numbers of files in this order."""
    proposal = propose(stack)
    focus = stack.focus_order
    return {
        "by_hand": stack.by_hand,
        "order": stack.order,
        "order_basis": stack.order_basis,
        "flags": [
            {"file": order[one.place], "kind": one.kind, "figure": round(one.figure, 2), "unit": one.unit,
             "reason": one.reason, "box": [round(side, 3) for side in one.box] if one.box else None}
            for one in stack.flags
        ],
        "trim": [order[place] for place in stack.trim] if stack.trim else None,
        "holes": [
            {"after": order[one.after], "before": order[one.before], "missing": one.missing} for one in stack.holes
        ],
        "passed": list(stack.passed),
        "near": stack.near,
        "far": stack.far,
        "thin": {"every": stack.thin.every, "worst_blur_px": round(stack.thin.worst_blur_px, 2)}
        if stack.thin else None,
        "focus_order": [
            {"file": order[place], "position": round(position, 3), "u": round(u, 3)}
            for place, position, u in zip(focus.places, focus.positions, focus.u, strict=True)
        ] if focus else None,
        "from_near": focus is not None and focus.from_near is True,
        "left_out": {str(order[place]): reason for place, reason in proposal.left_out.items()},
        "doubts": [
            {"file": order[one.place], "words": one.words, "of_frame": one.of_frame} for one in proposal.doubts
        ],
    }  # fmt: skip


def _pieces(order: Sequence[int], separators: set[int], borders: Mapping[int, Border]) -> list[list[int]]:
    pieces: list[list[int]] = []
    begins = True
    for number in order:
        begins = begins or number in borders
        if number in separators:
            continue
        if begins:
            pieces.append([])
        pieces[-1].append(number)
        begins = False
    return pieces


def _judged(session: Session, piece: Sequence[int], strays: Mapping[str, str]) -> dict[str, Any]:
    files = [seen_file(file) for file in cards.with_looks(session, piece)]
    own = {place: strays[str(number)] for place, number in enumerate(piece) if str(number) in strays}
    return stack_json(sort_take(files, own), piece)
