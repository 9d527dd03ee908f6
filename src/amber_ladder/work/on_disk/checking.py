"""Checking a folder of any size, or a whole card: its files as stacks, with what is wrong and what is missing."""

import os
import re
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from datetime import datetime
from functools import partial
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import Progress
from amber_ladder.core.sorting.run import (
    Comparer,
    Flag,
    FocusOrder,
    Run,
    SeenFile,
    Small,
    Stack,
    look_at,
    shrunk_by,
    sort_run,
)
from amber_ladder.errors import BadInput, UnreadablePicture
from amber_ladder.formats.apart import try_raw_apart
from amber_ladder.formats.metadata import Noted, noted_in
from amber_ladder.formats.pictures import PICTURE_NAMES, RAW_NAMES, LeftOut, natural_key
from amber_ladder.formats.shown import read_shown_shrunk

_MOST_IN_PIECE, _PIECES = 12, 8  # files that one thread looks at in a row, and pieces of a short run
_THREADS = 2
_LAST_NUMBER = 9999
_WRAPPED_BELOW = 0.5


@dataclass(frozen=True, slots=True)
class OnCard:
    """A file of a card: its path under the card's folder, and what the camera noted."""

    name: str
    path: Path
    noted: Noted


def check_folder(folder: Path, progress: Progress) -> dict[str, Any]:
    """Check a folder and those within it: what ``./ladder check`` prints. Raises BadInput."""
    files, left = files_on(folder)
    seen, damaged = look_through(files, progress)
    return checked_json(sort_run(seen), seen, [*left, *damaged])


def files_on(folder: Path) -> tuple[list[OnCard], list[LeftOut]]:
    """Picture files of a folder and those within it in the order they were shot, and those that cannot be taken.

    Links are not followed: what they lead to does not lie in the folder. Raises BadInput.
    """
    if not folder.is_dir():
        raise BadInput(f"{folder} is not a folder: name one that holds frames, or a card", field="folder")
    found: list[Path] = []
    left: list[LeftOut] = []
    for place, folders, names in os.walk(folder):
        folders[:] = sorted((one for one in folders if not one.startswith(".")), key=natural_key)
        linked = [one for one in folders if (Path(place) / one).is_symlink()]
        left += [
            LeftOut(_printable((Path(place) / one).relative_to(folder).as_posix()), "is a link: copy what it leads to")
            for one in linked
        ]
        for name in sorted(names, key=natural_key):
            path = Path(place) / name
            told = path.relative_to(folder).as_posix()
            if path.suffix.lower() not in PICTURE_NAMES | RAW_NAMES or name.startswith("."):
                continue
            if path.is_symlink() or not path.is_file():
                why = "is a link: copy what it leads to" if path.is_symlink() else "is no file of its own"
                left.append(LeftOut(_printable(told), why))
                continue
            found.append(path)
    with ThreadPoolExecutor(max_workers=_THREADS) as pool:
        noted = list(pool.map(noted_in, found))
    files = [OnCard(path.relative_to(folder).as_posix(), path, one) for path, one in zip(found, noted, strict=True)]
    return shooting_order(files), left


def shooting_order(files: Sequence[OnCard]) -> list[OnCard]:
    """By time where every file has one, else by folder and number; numbers that wrapped around go on where they were.

    Where times are told in whole seconds, and within a burst, the numbers decide.
    """
    by_name: list[OnCard] = []
    folders = sorted({_folder(file) for file in files}, key=natural_key)
    for folder in folders:
        by_name += _unwrapped([file for file in files if _folder(file) == folder])
    times = [_clock(file) for file in by_name]
    if any(time is None for time in times):
        return by_name
    return sorted(by_name, key=lambda file: _clock(file) or datetime.min)


def _clock(file: OnCard) -> datetime | None:
    captured_at = file.noted.captured_at
    return captured_at.replace(tzinfo=None) if captured_at else None


def _folder(file: OnCard) -> str:
    return file.name.rpartition("/")[0]


def _unwrapped(files: list[OnCard]) -> list[OnCard]:
    """Files of one folder by number; after 9999 a camera begins anew."""
    files.sort(key=lambda file: natural_key(file.name))
    numbers = [_number(file) for file in files]
    if len(files) < 2 or any(number is None or number > _LAST_NUMBER for number in numbers):
        return files
    known = [number for number in numbers if number is not None]
    gaps = [second - first for first, second in pairwise(known)]
    widest = max(gaps)
    wraps = known[0] - 1 + _LAST_NUMBER - known[-1]  # numbers that are missing where the count would go round
    if wraps > 2 or widest < _WRAPPED_BELOW * _LAST_NUMBER:
        return files
    at = gaps.index(widest) + 1
    return files[at:] + files[:at]


def _number(file: OnCard) -> int | None:
    digits = re.findall(r"\d+", Path(file.name).stem)
    return int(digits[-1]) if digits and len(digits[-1]) == 4 else None


@dataclass(slots=True)
class _Opened:
    """A file that was looked at, with the small picture in which it is compared."""

    seen: SeenFile
    small: Small


Shown = Callable[[OnCard, NDArray[np.uint8]], None]
"""Is given each file with its picture (H, W, 3), shrunk, as it lies in the file; by several threads."""


def look_through(
    files: Sequence[OnCard], progress: Progress, shown: Shown | None = None
) -> tuple[list[SeenFile], list[LeftOut]]:
    """Look at every file once, and at each beside the one before it; memory hardly grows with their number."""
    length = min(_MOST_IN_PIECE, max(1, len(files) // _PIECES))
    pieces = [files[at : at + length] for at in range(0, len(files), length)]
    seen: list[SeenFile] = []
    damaged: list[LeftOut] = []
    comparer, last, done = Comparer(), None, 0
    progress("look", 0, len(files))
    with ThreadPoolExecutor(max_workers=_THREADS) as pool:
        for first, end, looked, unreadable in pool.map(partial(_looked_through, shown=shown), pieces):
            if first and last is not None:
                looked[0] = replace(looked[0], against=comparer.compare(last, first.small))
            seen += looked
            damaged += unreadable
            last = end.small if end else last
            done += len(looked) + len(unreadable)
            progress("look", done, len(files))
    return seen, damaged


def _looked_through(
    files: Sequence[OnCard], shown: Shown | None
) -> tuple[_Opened | None, _Opened | None, list[SeenFile], list[LeftOut]]:
    """A piece of the run: its first and last readable file, what was seen of all, and what could not be read."""
    comparer = Comparer()
    first: _Opened | None = None
    before: _Opened | None = None
    seen: list[SeenFile] = []
    unreadable: list[LeftOut] = []
    for file in files:
        try:
            opened = _opened(file, shown)
        except UnreadablePicture as error:
            unreadable.append(LeftOut(_printable(file.name), error.reason))
            continue
        if before:
            opened.seen = replace(opened.seen, against=comparer.compare(before.small, opened.small))
        seen.append(opened.seen)
        first, before = first or opened, opened
    return first, before, seen, unreadable


def _opened(file: OnCard, shown: Shown | None) -> _Opened:
    if file.path.suffix.lower() in RAW_NAMES:
        try_raw_apart(file.path)
    shrunk = read_shown_shrunk(file.path, shrunk_by)
    if shown:
        shown(file, shrunk.rgb)
    look, small = look_at(shrunk.rgb, shrunk.factor)
    seen = SeenFile(
        _printable(file.name), _folder(file), shrunk.width_px, shrunk.height_px, shrunk.bits, _clock(file),
        file.noted.exposure, look, None, file.noted.focus_m,
    )  # fmt: skip
    return _Opened(seen, small)


def _printable(name: str) -> str:
    """A name as it can be shown; bytes that are no text are told by their numbers."""
    return name.encode("utf-8", "backslashreplace").decode("utf-8")


def checked_json(run: Run, files: Sequence[SeenFile], unreadable: Sequence[LeftOut]) -> dict[str, Any]:
    """A sorted run as ``./ladder check`` prints it, files by name."""
    return {
        "stacks": [_stack_json(stack, files) for stack in run.stacks],
        "borders": [
            {"after": files[one.after].name, "before": files[one.before].name, "reason": one.reason}
            for one in run.borders
        ],
        "separators": [files[place].name for place in run.separators],
        "unreadable": [{"file": one.name, "reason": one.reason} for one in unreadable],
    }


def _stack_json(stack: Stack, files: Sequence[SeenFile]) -> dict[str, Any]:
    trim = stack.trim
    return {
        "frames": [files[place].name for place in stack.places],
        "order": stack.order,
        "order_basis": stack.order_basis,
        "by_hand": stack.by_hand,
        "flags": [_flag_json(flag, files) for flag in stack.flags],
        "trim": {"first": files[trim[0]].name, "last": files[trim[1]].name} if trim else None,
        "gaps": [
            {"after": files[hole.after].name, "before": files[hole.before].name, "missing": hole.missing}
            for hole in stack.holes
        ],
        "ends_reached": {"near": stack.near, "far": stack.far},
        "ends_passed": {"first": stack.passed[0], "last": stack.passed[1]},
        "focus_order": _focus_json(stack.focus_order, files) if stack.focus_order else None,
        "thin": {"every": stack.thin.every, "worst_blur_px": round(stack.thin.worst_blur_px, 2)}
        if stack.thin
        else None,
    }


def _focus_json(order: FocusOrder, files: Sequence[SeenFile]) -> dict[str, Any]:
    return {
        "from": "unknown" if order.from_near is None else "near",
        "frames": [
            {"file": files[place].name, "position": round(position, 3), "u": round(u, 3)}
            for place, position, u in zip(order.places, order.positions, order.u, strict=True)
        ],
    }


def _flag_json(flag: Flag, files: Sequence[SeenFile]) -> dict[str, Any]:
    told: dict[str, Any] = {
        "file": files[flag.place].name,
        "kind": flag.kind,
        "figure": round(flag.figure, 2),
        "unit": flag.unit,
        "reason": flag.reason,
    }
    if flag.box:
        told["box"] = dict(zip(("x", "y", "width", "height"), (round(one, 3) for one in flag.box), strict=True))
    return told
