"""Comparing the database with the disk: every original with its checksum, every result with its row."""

import shutil
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from amber_ladder.settings import settings
from amber_ladder.store.frame_store import sha256_of
from amber_ladder.store.holdings import Holdings, held
from amber_ladder.work.upkeep.state import read_station

_ARRIVING_S = 3600.0
"""A running station may still be writing what is younger."""
_LITTLE_ROOM = 2_000_000_000


@dataclass(frozen=True, slots=True)
class Finding:
    """Something that is not as it should be: what, and what was done about it or is to be done by a person.

    ``kind`` says it without names. ``mended`` says that it is sound now.
    """

    kind: Literal["original", "result", "stray", "half-written", "room"]
    what: str
    do: str
    mended: bool


def examine(*, mend: bool, alone: bool, progress: Callable[[int, int], None]) -> list[Finding]:
    """Look through the data folder; with ``mend`` put right what can be. ``alone``: no station works meanwhile.

    Nothing that might be somebody's picture is deleted: files that belong to no row go to ``left-over/``. A damaged
    original is fetched from the last backup, where that has it whole.
    """
    data, holdings = settings().data, held()
    young = 0.0 if alone else _ARRIVING_S
    found = [*_originals(data, holdings, mend, progress), *_products(data, holdings, mend)]
    found += _strays(data, holdings, mend, young)
    found += _half_made(data, mend, young)
    free = read_station().free_bytes
    if free < _LITTLE_ROOM:
        found.append(
            Finding("room", f"only {free / 1e9:.1f} GB are left on the disk", "free some, or add a disk", mended=False)
        )
    return found


def _originals(data: Path, holdings: Holdings, mend: bool, progress: Callable[[int, int], None]) -> Iterator[Finding]:
    backup = read_station().backup
    copies = Path(backup.folder) / "originals" if backup else None
    for i, one in enumerate(holdings.originals):
        progress(i, len(holdings.originals))
        path = data / "originals" / one.place
        if sha256_of(path) == one.sha256:
            continue
        state = "damaged" if path.exists() else "missing"
        what = f"the original of {one.name} ({one.owner}) is {state}"
        if copies is None or sha256_of(copies / one.place) != one.sha256:
            yield Finding("original", what, "bring the file again, or restore a backup that has it", mended=False)
        elif not mend:
            yield _backup_has_it("original", what, copies)
        else:
            _fetch(copies / one.place, path)
            yield Finding("original", what, "fetched from the last backup", mended=True)
    progress(len(holdings.originals), len(holdings.originals))


def _products(data: Path, holdings: Holdings, mend: bool) -> Iterator[Finding]:
    backup = read_station().backup
    copies = Path(backup.folder) / "products" if backup else None
    for one in holdings.products:
        folder = data / "products" / f"{one.id:06d}"
        missing = [name for name in one.files if not (folder / name).is_file()]
        if not missing:
            continue
        what = f"of {one.owner} {', '.join(missing)} {'is' if len(missing) == 1 else 'are'} missing"
        if copies is None or not all((copies / folder.name / name).is_file() for name in missing):
            yield Finding("result", what, "discard it and make it again: the originals are kept", mended=False)
        elif not mend:
            yield _backup_has_it("result", what, copies)
        else:
            for name in missing:
                _fetch(copies / folder.name / name, folder / name)
            yield Finding("result", what, "fetched from the last backup", mended=True)


def _backup_has_it(kind: Literal["original", "result"], what: str, copies: Path) -> Finding:
    return Finding(kind, what, f"the backup in {copies.parent} has it: run ./ladder doctor --mend", mended=False)


def _strays(data: Path, holdings: Holdings, mend: bool, young: float) -> Iterator[Finding]:
    known = {one.place for one in holdings.originals}
    originals = data / "originals"
    stray = [path for path in originals.glob("*/*") if path.relative_to(originals) not in known and _old(path, young)]
    yield from _put_aside(data, stray, "originals", "file among the originals belongs", mend)
    products = [
        path for path in (data / "products").glob("[0-9]*")
        if path.name.isdigit() and int(path.name) not in holdings.product_ids and _old(path, young)
    ]  # fmt: skip
    yield from _put_aside(data, products, "products", "folder of results belongs", mend)


def remove_half_made(data: Path, *, young: float = 0.0) -> int:
    """Remove what killed work has left half-written, but for what is ``young`` (s); returns how much that was."""
    left = _half_made_in(data, young)
    for path in left:
        shutil.rmtree(path, ignore_errors=True) if path.is_dir() else path.unlink(missing_ok=True)
    return len(left)


def _half_made_in(data: Path, young: float) -> list[Path]:
    made_in = ("products", "tiles", "developed")
    left = [*(data / "arriving").glob("*"), *(path for one in made_in for path in (data / one).glob(".*"))]
    return [path for path in left if _old(path, young)]


def _half_made(data: Path, mend: bool, young: float) -> Iterator[Finding]:
    left = _half_made_in(data, young)
    if not left:
        return
    if mend:
        remove_half_made(data, young=young)
    what = (
        f"{len(left)} half-written {'file or folder' if len(left) == 1 else 'files or folders'} of work that was killed"
    )
    yield Finding("half-written", what, "removed" if mend else "run ./ladder doctor --mend", mended=mend)


def _put_aside(data: Path, paths: list[Path], kind: str, words: str, mend: bool) -> Iterator[Finding]:
    if not paths:
        return
    if mend:
        aside = data / "left-over" / kind
        aside.mkdir(parents=True, exist_ok=True)
        for path in paths:
            path.replace(aside / path.name) if path.is_file() else shutil.move(path, aside / path.name)
    what = f"{len(paths)} {words} to nothing" if len(paths) == 1 else f"{len(paths)} {_plural(words)} to nothing"
    yield Finding(
        "stray", what, f"put aside in left-over/{kind}" if mend else "run ./ladder doctor --mend", mended=mend
    )


def _plural(words: str) -> str:
    first, rest = words.split(" ", 1)
    return f"{first}s {rest.removesuffix('s')}"


def _fetch(copy: Path, path: Path) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    scratch = path.with_name(f".{path.name}.part")
    shutil.copyfile(copy, scratch)
    scratch.chmod(0o400)
    scratch.replace(path)


def _old(path: Path, seconds: float) -> bool:
    try:
        return time.time() - path.stat().st_mtime >= seconds
    except OSError:
        return False  # gone meanwhile
