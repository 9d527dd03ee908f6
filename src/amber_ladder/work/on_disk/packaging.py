"""Packing a stack into one file: originals, results, the record with its history, and what others need to read it."""

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from amber_ladder import __version__
from amber_ladder.core.frames import Progress
from amber_ladder.core.history import chained
from amber_ladder.errors import BadInput
from amber_ladder.formats.bags import Packed, write_bag
from amber_ladder.formats.crate import FILE as CRATE
from amber_ladder.formats.crate import Act, crate
from amber_ladder.formats.files import file_in_one_piece
from amber_ladder.formats.label_json import LabelJson
from amber_ladder.formats.measures_json import MeasuresJson
from amber_ladder.work.on_disk import mending, merging
from amber_ladder.work.on_disk.measuring import measure_folder
from amber_ladder.work.on_disk.merge_result import read_merge

RECORD = "record.json"
ORIGINALS, RESULTS = "originals", "results"


@dataclass(frozen=True, slots=True)
class Made:
    """A merge or a mended picture that goes into a package, as ``results/NAME``.

    ``told`` is what else is needed to make it again, besides its own report: of a merge how its frames were developed,
    of a mended picture the merge that it is ``of``.
    """

    kind: str
    name: str
    folder: Path
    files: Sequence[str]
    told: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Contents:
    """All that goes into a package. ``record`` lacks only what the package itself adds to it: "made"."""

    name: str
    label: LabelJson
    originals: Sequence[Packed]
    made: Sequence[Made]
    measured: Sequence[dict[str, Any]]
    record: dict[str, Any]


def package_folder(
    result: Path,
    frames: Path,
    out: Path,
    label: LabelJson,
    progress: Progress,
    *,
    mends: Sequence[Path] = (),
    measures: MeasuresJson | None = None,
) -> dict[str, Any]:
    """Pack a merge's folder with its originals into ``out``, all or nothing; returns what was packed.

    ``mends`` are folders of pictures mended from this merge, ``measures`` what is to be measured on it.
    Raises BadInput, StorageFull.
    """
    report = read_merge(result).report
    found = [Made("merge", "merge-1", result, merging.RESULTS, {"development": None})]
    for number, folder in enumerate(mends, start=1):
        _check_mend(folder)
        found.append(Made("mend", f"mend-{number}", folder, mending.RESULTS, {"of": "merge-1"}))
    told = [{"of": "merge-1", "asked": measures.model_dump(mode="json", exclude_none=True),
             "told": measure_folder(result, measures)}] if measures else []  # fmt: skip
    name = "-".join(one for one in (label.catalogue_number, result.resolve().name) if one)
    contents = Contents(
        _safe(name), label, [Packed(one, frames / one) for one in _originals(report, frames)], found, told,
        {"history": chained([_entry(one) for one in found])},
    )  # fmt: skip
    packed = write_package(contents, out, progress)
    return {"out": str(out), **packed}


def write_package(contents: Contents, out: Path, progress: Progress) -> dict[str, Any]:
    """Pack contents into ``out``, all or nothing; returns how many files and bytes. Raises BadInput, StorageFull."""
    files = [Packed(f"{ORIGINALS}/{one.name}", one.content, one.sha256) for one in contents.originals]
    originals = [one.name for one in files]
    acts = list[Act]()
    for made in contents.made:
        gave = [Packed(f"{RESULTS}/{made.name}/{file}", made.folder / file) for file in made.files
                if (made.folder / file).is_file()]  # fmt: skip
        files += gave
        of = [f"{RESULTS}/{made.told['of']}/composite.tif"] if "of" in made.told else []
        acts.append(Act(f"{made.kind} {made.name}", [*of, *originals], [one.name for one in gave]))
    _check_names(files)
    record = {
        "record": 1,
        "made_with": f"Amber Ladder {__version__}",
        "label": contents.label.model_dump(mode="json", exclude_none=True),
        **contents.record,
        "made": [{"kind": one.kind, "folder": f"{RESULTS}/{one.name}", **one.told} for one in contents.made],
        "measured": list(contents.measured),
    }
    files.append(Packed(RECORD, json.dumps(record, indent=1, ensure_ascii=False, allow_nan=False).encode()))
    sizes = {one.name: one.size for one in files}
    now = datetime.now(UTC)
    told = crate(contents.name, contents.label, sizes, acts, __version__, now)
    files.append(Packed(CRATE, json.dumps(told, indent=1, ensure_ascii=False).encode()))
    total = sum(one.size for one in files)
    info = {
        "Bag-Software-Agent": f"Amber Ladder {__version__}",
        "Bagging-Date": now.date().isoformat(),
        "External-Identifier": contents.label.catalogue_number or contents.name,
        "External-Description": " ".join(f"{contents.label.name} {contents.label.locality}".split()) or contents.name,
    }
    with file_in_one_piece(out) as scratch, scratch.open("wb") as file:
        write_bag(file, contents.name, files, info, following("pack", total, progress))
    return {"files": len(files), "bytes": total}


def following(phase: str, total: int, progress: Progress) -> Callable[[int], None]:
    """Counts bytes, and tells of them in MB."""
    seen = 0

    def followed(more: int) -> None:
        nonlocal seen
        seen += more
        progress(phase, seen // 1_000_000, max(total // 1_000_000, 1))

    return followed


def _originals(report: dict[str, Any], frames: Path) -> list[str]:
    """The frames that were merged, and those that were left out before. Raises BadInput where one is missing."""
    if not frames.is_dir():
        raise BadInput(f"{frames} is not a folder: name the one that holds the merged frames", field="frames")
    merged = (report.get("made_from") or {}).get("frames") or report["frames_used"]
    missing = [one for one in merged if not (frames / one).is_file()]
    if missing:
        raise BadInput(f"{frames} holds no {missing[0]}, which was merged: name the folder that was", field="frames")
    left = [one["file"] for one in report.get("excluded", []) if (frames / one["file"]).is_file()]
    return list(dict.fromkeys([*merged, *left]))


def _check_mend(folder: Path) -> None:
    missing = [one for one in mending.RESULTS if not (folder / one).is_file()]
    if missing:
        raise BadInput(f"{folder} is not the result of a mend: {missing[0]} is missing", field="mend")


def _entry(made: Made) -> dict[str, Any]:
    """On the disk nobody keeps a history: when it was made is the date of its report."""
    packed = [Packed(one, made.folder / one) for one in made.files if (made.folder / one).is_file()]
    at = datetime.fromtimestamp((made.folder / "report.json").stat().st_mtime, UTC)
    report = json.loads((made.folder / "report.json").read_bytes())
    return {
        "at": at.isoformat(timespec="seconds"), "by": None, "did": "merged" if made.kind == "merge" else "mended",
        "words": f"{made.name} made, as its files' date says",
        "facts": {"files": {one.name: one.sum() for one in packed}}, "version": report.get("version"),
    }  # fmt: skip


def _check_names(files: Sequence[Packed]) -> None:
    """Names that some systems cannot keep would be lost where a package is opened. Raises BadInput."""
    seen = set[str]()
    for one in files:
        last = one.name.rsplit("/", 1)[-1]
        if last in ("", ".", "..") or any(sign in last for sign in '\\/:*?"<>|') or not last.isprintable():
            raise BadInput(f"{last!r} cannot be the name of a file everywhere: rename it before it is packed")
        if one.name.lower() in seen:
            raise BadInput(f"two files are called {last}, but for capitals: rename one of them")
        seen.add(one.name.lower())


def _safe(name: str) -> str:
    """A name for the folder in the package that every system can keep."""
    kept = "".join(sign if sign.isascii() and (sign.isalnum() or sign in "-_.") else "-" for sign in name)
    return kept.strip(".-") or "stack"
