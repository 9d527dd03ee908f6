"""Making the results of a package again from its originals, and telling whether, or by how much, they differ."""

import json
import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from filecmp import cmp
from pathlib import Path
from typing import Any

import numpy as np
import tifffile

from amber_ladder import __version__
from amber_ladder.core.frames import Progress
from amber_ladder.errors import AmberLadderError, BadInput, StorageFull
from amber_ladder.formats.bags import Bag
from amber_ladder.formats.measures_json import MeasuresJson
from amber_ladder.formats.mend_json import StepsJson
from amber_ladder.formats.pictures import LeftOut, PictureInfo, StoredFrames, examine
from amber_ladder.formats.recipe_json import RecipeJson
from amber_ladder.formats.record_json import MadeJson, RecordJson
from amber_ladder.formats.validated import validated
from amber_ladder.work.on_disk import mending, merging
from amber_ladder.work.on_disk.developing_alike import OneFrame, developer_for, needs_development
from amber_ladder.work.on_disk.measuring import measure_folder
from amber_ladder.work.on_disk.mend_layers import LayerMaker
from amber_ladder.work.on_disk.merge_result import read_merge
from amber_ladder.work.on_disk.merge_settings import settings_of
from amber_ladder.work.on_disk.packaging import ORIGINALS

_NEVER_ALIKE = ("seconds", "version")
"""What a report tells that is not of the picture: how long it took, and by which version."""
_ROOM = 2.0  # of a package's size: it is unpacked, and its results lie beside those that are made again


@dataclass(frozen=True, slots=True)
class Replay:
    """What was made again, by which version, and where it differs from what the package holds."""

    again: int
    differs: Sequence[dict[str, str]]
    versions: Sequence[str]

    @property
    def same(self) -> bool:
        """Whether all of it came out the same."""
        return not self.differs

    def as_json(self) -> dict[str, Any]:
        """For those who asked."""
        return {"same": self.same, "differs": list(self.differs), "made_again": self.again,
                "made_by": sorted(set(self.versions)), "this_version": __version__}  # fmt: skip


def replay_into(bag: Bag, record: RecordJson, scratch: Path, progress: Progress) -> Replay:
    """Make merges, mended pictures and measures again in ``scratch``. Raises StorageFull."""
    if shutil.disk_usage(scratch).free < _ROOM * bag.size:
        raise StorageFull(
            f"making it again takes about {_ROOM * bag.size / 1e9:.1f} GB in {scratch.parent}, which has less room: "
            "free some, or name another folder in TMPDIR"
        )
    for name in bag.names:
        _unpack(bag, name, scratch / "package")
    differs, versions, again = list[dict[str, str]](), list[str](), 0
    for made in record.made:
        kept, new = scratch / "package" / made.folder, scratch / made.folder
        try:
            versions.append(str(_report_of(kept).get("version")))
            _make(made, record, scratch, new, progress)
        except (AmberLadderError, OSError) as error:
            differs.append({"path": made.folder, "reason": f"could not be made again: {error}"})
            continue
        again += 1
        names = merging.RESULTS if made.kind == "merge" else mending.RESULTS
        differs += [one for name in names if (one := _difference(made.folder, name, kept, new))]
        # What was kept is not needed any more, and both take room.
        shutil.rmtree(kept)
    for place, measured in enumerate(record.measured):
        folder = scratch / "results" / measured.of
        try:
            told = measure_folder(folder, validated(MeasuresJson, measured.asked))
        except AmberLadderError as error:
            differs.append({"path": f"record.json, measured {place + 1}", "reason": f"could not be measured: {error}"})
            continue
        again += 1
        differs += _measures_that_differ(place, measured.told, told)
    return Replay(again, differs, versions)


def _unpack(bag: Bag, name: str, folder: Path) -> None:
    parts = name.split("/")
    if any(part in ("", ".", "..") or "\\" in part for part in parts):
        raise BadInput(f"{name!r} in the package leads out of it: it was not packed here", field="package")
    path = folder.joinpath(*parts)
    path.parent.mkdir(parents=True, exist_ok=True)
    with bag.open(name) as source, path.open("wb") as target:
        shutil.copyfileobj(source, target, 1 << 20)


def _report_of(folder: Path) -> dict[str, Any]:
    try:
        told = json.loads((folder / "report.json").read_bytes())
    except (OSError, ValueError) as error:
        raise BadInput(f"report.json cannot be read: {error}") from error
    if not isinstance(told, dict):
        raise BadInput("report.json is no report")
    return told


def _make(made: MadeJson, record: RecordJson, scratch: Path, out: Path, progress: Progress) -> None:
    report, originals = _report_of(scratch / "package" / made.folder), scratch / "package" / ORIGINALS
    if made.kind == "merge":
        recipe = validated(RecipeJson, _made_from(report))
        merging.merge_frames(
            _frames(originals, recipe.frames, made.development, scratch / "developed", progress),
            [LeftOut(one.file, one.reason) for one in recipe.left_out], out, settings_of(recipe), progress,
            depths_um=recipe.depths_um, depth_from=recipe.depth_from, numbers=recipe.numbers,
        )  # fmt: skip
        return
    merge = read_merge(scratch / "results" / str(made.of))
    source = next((one for one in record.made if one.folder == f"results/{made.of}"), None)
    names = list(merge.placed)
    frames = _frames(originals, names, source.development if source else None, scratch / "developed", progress)
    others = {name: scratch / "results" / folder for name, folder in made.merges.items()}
    maker = LayerMaker(merge, {name: frames.path(place) for place, name in enumerate(names)},
                       merges=lambda name: others.get(name, scratch / "missing"))  # fmt: skip
    steps = validated(StepsJson, _made_from(report)).steps
    mending.write_mended(merge, maker, steps, out, progress)


def _made_from(report: dict[str, Any]) -> dict[str, Any]:
    told = report.get("made_from")
    if not isinstance(told, dict):
        raise BadInput("it was made by a version that did not note down from what")
    return told


def _frames(
    folder: Path, names: Sequence[str], development: dict[str, Any] | None, scratch: Path, progress: Progress
) -> StoredFrames:
    """The originals as they were merged: developed where they are raw, or where that was set."""
    paths = [folder / Path(name).name for name in names]
    if not needs_development(paths, development):
        return StoredFrames(paths, names, examine(paths[0], pixels=False))
    frames = list[OneFrame]()
    for name, path in zip(names, paths, strict=True):
        info = examine(path, pixels=False)
        frames.append(OneFrame(name, path, "", info.width_px, info.height_px, info.bits))
    developer = developer_for(frames, development)
    scratch.mkdir(exist_ok=True)
    made = [scratch / f"{number:06d}.tif" for number in range(len(frames))]
    for done, (frame, target) in enumerate(zip(frames, made, strict=True)):
        progress("develop", done, len(frames))
        developer.write(frame.undeveloped(), target)
    return StoredFrames(made, names, PictureInfo("TIFF", frames[0].width_px, frames[0].height_px, 16, None))


def _difference(folder: str, name: str, kept: Path, new: Path) -> dict[str, str] | None:
    """How a file that was made again differs from the one that was kept; None where it is the same to the byte."""
    before, after = kept / name, new / name
    if not before.is_file():
        return {"path": f"{folder}/{name}", "reason": "the package does not hold it"}
    if cmp(before, after, shallow=False):
        return None
    if name.endswith(".json"):
        one, two = (json.loads(path.read_bytes()) for path in (before, after))
        unlike = [key for key in {**one, **two} if key not in _NEVER_ALIKE and one.get(key) != two.get(key)]
        return {"path": f"{folder}/{name}", "reason": f"differs in {', '.join(unlike)}"} if unlike else None
    return {"path": f"{folder}/{name}", "reason": _unlike(before, after)}


def _unlike(before: Path, after: Path) -> str:
    one, two = (tifffile.imread(path) for path in (before, after))
    if one.shape != two.shape or one.dtype != two.dtype:
        return f"is {two.shape} of {two.dtype}, was {one.shape} of {one.dtype}"
    both = np.isfinite(one) & np.isfinite(two) if one.dtype.kind == "f" else np.ones(one.shape, bool)
    apart = np.where(both, np.abs(np.asarray(one, np.float64) - np.asarray(two, np.float64)), 0.0)
    known = np.isfinite(one) != np.isfinite(two) if one.dtype.kind == "f" else np.zeros(one.shape, bool)
    changed = (apart > 0) | known
    if not changed.any():
        return "the same values, but not the same bytes: what is written beside them differs"
    words = f"differs by up to {apart.max():g} on {changed.mean():.4%} of its values"
    return f"{words}; {known.mean():.4%} known in one alone" if known.any() else words


def _measures_that_differ(place: int, before: dict[str, Any], after: dict[str, Any]) -> list[dict[str, str]]:
    found, where = list[dict[str, str]](), f"record.json, measured {place + 1}"
    one, two = before.get("measures", []), after["measures"]
    if len(one) != len(two):
        return [{"path": where, "reason": f"{len(two)} measures, were {len(one)}"}]
    for old, new in zip(one, two, strict=True):
        if json.loads(json.dumps(new)) != old:
            called = new.get("name") or new.get("kind")
            values = f"{new.get('value')} ± {new.get('U')}, was {old.get('value')} ± {old.get('U')} {old.get('unit')}"
            found.append({"path": f"{where}: {called}", "reason": values})
    return found
