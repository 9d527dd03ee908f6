"""What the place Card shows."""

from collections import Counter
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from amber_ladder.core.sorting.run import torn
from amber_ladder.store import cards
from amber_ladder.store.card_models import Card, CardFile
from amber_ladder.store.database import Session
from amber_ladder.store.models import Stack, Take
from amber_ladder.work.card.going import Asked, Goes, goes_where
from amber_ladder.work.card.judging import Edits, Sorted, sorted_card
from amber_ladder.work.card.looks import noted_from
from amber_ladder.work.stack.views import CameraTime, TaskView, task_view


@dataclass(frozen=True, slots=True)
class FileView:
    """A file of a card. ``sharp`` is the detail of its sharpest parts, in grey values; None before it was seen.

    ``refused`` says why it cannot be used, ``known_as`` where the same content is kept already.
    """

    id: int
    name: str
    bytes: int
    captured_at: CameraTime | None
    noted: str
    width_px: int | None
    height_px: int | None
    sharp: float | None
    refused: str | None
    known_as: str | None


@dataclass(frozen=True, slots=True)
class FlagView:
    """What is wrong with a file; ``box`` (x, y, width, height) in shares of the frame."""

    file: int
    kind: str
    figure: float
    unit: str
    reason: str
    box: list[float] | None


@dataclass(frozen=True, slots=True)
class DoubtView:
    """What has to be looked at, and where."""

    file: int
    words: str


@dataclass(frozen=True, slots=True)
class LeftOutFile:
    """A file that takes no part, and why; ``by_hand`` where a person said so."""

    file: int
    reason: str
    by_hand: bool


@dataclass(frozen=True, slots=True)
class HoleView:
    """Frames that are missing between two files."""

    after: int
    before: int
    missing: int


@dataclass(frozen=True, slots=True)
class ThinView:
    """Every how manieth frame would do, with the blur (px) that is left at worst."""

    every: int
    worst_blur_px: float


@dataclass(frozen=True, slots=True)
class FocusPlace:
    """Where a frame shot by hand was focused: 0 to 1 through the stack, with its standard uncertainty."""

    file: int
    position: float
    u: float


@dataclass(frozen=True, slots=True)
class CardStack:
    """One of the stacks that a card becomes; its first file names it. ``accepted`` is the take that it became.

    Frames shot by hand stand in ``focus_order``, from the nearest where ``from_near`` says so, else from either end.
    ``passed`` says of the end that was shot first, and of the last, whether focus went on to where nothing is sharp.
    """

    first: int
    files: list[int]
    by_hand: bool
    order: Literal["near-first", "far-first", "unknown"]
    order_basis: str
    passed: list[bool | None]
    near: bool | None
    far: bool | None
    flags: list[FlagView]
    holes: list[HoleView]
    thin: ThinView | None
    focus_order: list[FocusPlace] | None
    from_near: bool
    left_out: list[LeftOutFile]
    doubts: list[DoubtView]
    goes: Goes | None
    accepted: "AcceptedView | None"


@dataclass(frozen=True, slots=True)
class AcceptedView:
    """The take that a stack of a card became."""

    stack_id: int
    take_id: int
    label: str


@dataclass(frozen=True, slots=True)
class BorderView:
    """Before which file a stack begins, and why."""

    before: int
    reason: str
    by_hand: bool


@dataclass(frozen=True, slots=True)
class CardLine:
    """A card in one line."""

    id: int
    name: str
    files: int
    created_at: datetime
    looked_at: bool
    accepted: int


@dataclass(frozen=True, slots=True)
class CardView:
    """A card: its files in the order of shooting, and the stacks that they become."""

    id: int
    name: str
    folder: str | None
    created_at: datetime
    task: TaskView | None
    looked_at: bool
    files: list[FileView]
    new_files: int
    stacks: list[CardStack]
    borders: list[BorderView]
    separators: list[int]


def file_view(file: CardFile) -> FileView:
    """A file."""
    noted = file.noted or {}
    return FileView(
        file.id, file.name, file.bytes, noted.get("captured_at"), _noted(noted), file.width_px, file.height_px,
        file.sharp, file.refused, file.known_as,
    )  # fmt: skip


def card_line(session: Session, card: Card, files: int) -> CardLine:
    """A card in one line."""
    accepted = len(cards.takes_from(session, card.id))
    return CardLine(card.id, card.name, files, card.created_at, card.found is not None, accepted)


def card_view(session: Session, card: Card) -> CardView:
    """A card."""
    rows = cards.files_of(session, card.id)
    found = sorted_card(session, card)
    known = set((card.found or {}).get("order", ()))
    new = sum(1 for row in rows if row.id not in known and row.refused is None)
    by_id = {row.id: row for row in rows}
    return CardView(
        card.id, card.name, card.folder, card.created_at, task_view(card.task) if card.task else None,
        card.found is not None, [file_view(row) for row in rows], new, stacks_of(session, card, found, by_id),
        [BorderView(one.before, one.reason, one.by_hand) for one in found.borders], found.separators,
    )  # fmt: skip


def stacks_of(session: Session, card: Card, found: Sorted, rows: dict[int, CardFile]) -> list[CardStack]:
    """The stacks of a card that was taken apart."""
    edits = Edits.of(card)
    accepted = {tuple((take.run or {})["files"]): take for take in cards.takes_from(session, card.id)}
    pieces = [
        (piece, judged, left_out_of(piece, judged, edits))
        for piece, judged in zip(found.pieces, found.judged, strict=True)
    ]
    asked = [
        Asked(
            piece,
            len(left),
            usual_size([rows[number] for number in piece]),
            waits=tuple(piece) not in accepted,
            noted=noted_from(rows[piece[0]].noted),
        )
        for piece, _, left in pieces
    ]
    goes = goes_where(session, asked, edits)
    return [
        _card_stack(piece, judged, left, where, accepted.get(tuple(piece)))
        for (piece, judged, left), where in zip(pieces, goes, strict=True)
    ]


def left_out_of(piece: list[int], judged: dict[str, Any], edits: Edits) -> list[LeftOutFile]:
    """What of a stack takes no part: what a person left out, and what was found, unless a person keeps it."""
    found = {int(number): reason for number, reason in judged["left_out"].items() if int(number) not in edits.kept}
    by_hand = {number: reason for number, reason in edits.left_out.items() if number in piece}
    return [
        LeftOutFile(number, by_hand.get(number) or found[number], number in by_hand)
        for number in piece
        if number in by_hand or number in found
    ]


def usual_size(rows: list[CardFile]) -> tuple[int, int]:
    """The size (px) that most of these files share."""
    return Counter((row.width_px or 0, row.height_px or 0) for row in rows).most_common(1)[0][0]


def _card_stack(
    piece: list[int], judged: dict[str, Any], left: list[LeftOutFile], goes: Goes | None, take: Take | None
) -> CardStack:
    gone = {one.file for one in left}
    doubts = [
        DoubtView(one["file"], one["words"]) for one in judged["doubts"]
        if not (one["of_frame"] and one["file"] in gone)
    ]  # fmt: skip
    if not judged["by_hand"]:
        every = judged["thin"]["every"] if judged["thin"] else 1
        doubts += [DoubtView(one.place, one.words) for one in torn(piece, gone, every)]
    if len(piece) - len(left) < 2:
        doubts = [DoubtView(piece[0], "fewer than two frames are left: there is nothing to merge"), *doubts]
    return CardStack(
        piece[0], piece, judged["by_hand"], judged["order"], judged["order_basis"], judged["passed"],
        judged["near"], judged["far"],
        [FlagView(**one) for one in judged["flags"]], [HoleView(**one) for one in judged["holes"]],
        ThinView(**judged["thin"]) if judged["thin"] else None,
        [FocusPlace(**one) for one in judged["focus_order"]] if judged["focus_order"] else None,
        judged["from_near"], left, doubts, goes,
        AcceptedView(take.stack_id, take.id, _label(take.stack, take)) if take else None,
    )  # fmt: skip


def _label(stack: Stack, take: Take) -> str:
    return f"take {take.number} of stack {stack.number} of {stack.specimen.catalogue_number}"


def _noted(noted: dict[str, Any]) -> str:
    """What the camera noted, in words."""
    seconds = noted.get("exposure_s")
    exposure = None
    if seconds:
        exposure = f"{seconds:g} s" if seconds >= 0.3 else f"1/{1 / seconds:.0f} s"
    parts = (
        exposure,
        f"f/{noted['f_number']:g}" if noted.get("f_number") else None,
        f"ISO {noted['iso']}" if noted.get("iso") else None,
        f"focus at {noted['focus_m']:g} m" if noted.get("focus_m") else None,
        noted.get("body"),
        noted.get("lens"),
    )
    return ", ".join(str(part) for part in parts if part)
