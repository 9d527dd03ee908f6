"""A run of files as stacks: each with its order, its faults, what is worth keeping, and what is missing."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from amber_ladder.core.sorting.run._file import SeenFile
from amber_ladder.core.sorting.run._flags import Flag, Hole, Judged, judge, out_of_focus
from amber_ladder.core.sorting.run._focus_order import FocusOrder, focus_order
from amber_ladder.core.sorting.run._order import Order, order_of
from amber_ladder.core.sorting.run._split import Border, Piece, piece_of, split
from amber_ladder.core.sorting.run._sweep import Sweep, Thin, sweep, thin


@dataclass(frozen=True, slots=True)
class Stack:
    """One take, in places of the run.

    ``trim`` is the first and the last frame worth keeping, None where nothing is sharp in any. ``passed`` says of the
    end that was shot first and of the last whether focus went on to where nothing is sharp; ``near`` and ``far`` the
    same where the order is known, else None unless both ends agree. By hand nobody knows; there the frames stand in
    ``focus_order``.
    """

    places: tuple[int, ...]
    by_hand: bool
    order: Order
    order_basis: str
    flags: tuple[Flag, ...]
    trim: tuple[int, int] | None
    holes: tuple[Hole, ...]
    passed: tuple[bool | None, bool | None]
    near: bool | None
    far: bool | None
    thin: Thin | None
    focus_order: FocusOrder | None


@dataclass(frozen=True, slots=True)
class Run:
    """What a run of files turned out to be.

    ``separators`` are places of files that belong to no stack; ``strays`` those within one that do not fit in, with
    the kind: only the whole run tells.
    """

    stacks: tuple[Stack, ...]
    borders: tuple[Border, ...]
    separators: tuple[int, ...]
    strays: Mapping[int, str]


def sort_run(files: Sequence[SeenFile]) -> Run:
    """Sort readable files, in the order they were shot, into stacks. An empty run has none."""
    found = split(files)
    strays = {place: kind for piece in found.pieces for place, kind in piece.strays.items()}
    return Run(tuple(_stack(files, piece) for piece in found.pieces), found.borders, found.separators, strays)


def sort_take(files: Sequence[SeenFile], strays: Mapping[int, str]) -> Stack:
    """Files of which a person says that they are one take. ``strays`` as a run told them, by places among these."""
    return _stack(files, piece_of(files, strays))


def _stack(files: Sequence[SeenFile], piece: Piece) -> Stack:
    judged = judge(files, piece)
    fit = judged.fit
    seen = sweep([files[place] for place in fit], by_hand=piece.by_hand)
    trim = None if seen.first is None or seen.last is None else (fit[seen.first], fit[seen.last])
    order, basis = _ordered(files, piece, judged, seen)
    near, far = _named_ends(order, seen.passed)
    fewer = thin(seen, files[fit[0]].look.factor) if fit else None
    by_focus = focus_order(files, fit) if piece.by_hand else None
    flags = judged.flags
    if by_focus and trim:
        rocked_past = (place for place in fit if trim[0] < place < trim[1] and place not in by_focus.places)
        flags = tuple(sorted((*flags, *map(out_of_focus, rocked_past)), key=lambda flag: flag.place))
    return Stack(
        piece.places, piece.by_hand, order, basis, flags, trim, judged.holes, seen.passed, near, far, fewer,
        by_focus,
    )  # fmt: skip


def _ordered(files: Sequence[SeenFile], piece: Piece, judged: Judged, seen: Sweep) -> tuple[Order, str]:
    if piece.by_hand:
        return "unknown", "shot by hand: focus went to and fro"
    if seen.first is None or len(judged.fit) < 4:
        return "unknown", "too little is sharp to tell"
    leapt = frozenset(flag.place for flag in judged.flags if flag.kind in ("jolted", "moved"))
    return order_of(files, judged.fit, leapt)


def _named_ends(order: Order, passed: tuple[bool | None, bool | None]) -> tuple[bool | None, bool | None]:
    if order == "near-first":
        return passed
    if order == "far-first":
        return passed[1], passed[0]
    return passed if passed[0] == passed[1] else (None, None)
