"""Whether a package holds: every checksum, the chain of its history, and if asked, all results made again."""

import json
import tempfile
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from amber_ladder.core.frames import Progress
from amber_ladder.core.history import faults_of
from amber_ladder.errors import BadInput
from amber_ladder.formats.bags import PAYLOAD, Bag, BagFault
from amber_ladder.formats.record_json import RecordJson
from amber_ladder.formats.validated import refusal
from amber_ladder.work.on_disk.packaging import RECORD, following
from amber_ladder.work.on_disk.replaying import Replay, replay_into


def verify(package: Path, progress: Progress, *, replay: bool = False) -> dict[str, Any]:
    """Go through a package: ``{ok, checked, faults, replay}``.

    With ``replay``, merges, mended pictures and measures are made again from the originals and compared, where nothing
    else was found. Raises BadInput for what is no package at all, StorageFull.
    """
    bag = Bag(package)
    try:
        faults = bag.faults(following("check", bag.size, progress))
        record = None
        if not any(one.path == f"{PAYLOAD}{RECORD}" for one in faults):
            record, more = _record(bag)
            faults += more
        told: dict[str, Any] = {
            "ok": not faults,
            "checked": {"files": len(bag.names), "bytes": bag.size,
                        "entries": len(record.history) if record else 0},
            "faults": [{"path": one.path, "reason": one.reason} for one in faults],
        }  # fmt: skip
        if replay:
            found = _replayed(bag, record, progress) if record and not faults else None
            told["replay"] = found.as_json() if found else {"same": None, "differs": [], "why": _NOT_REPLAYED}
            told["ok"] = told["ok"] and bool(found and found.same)
        return told
    finally:
        bag.close()


_NOT_REPLAYED = "the package does not hold: nothing was made again from it"


def _record(bag: Bag) -> tuple[RecordJson | None, list[BagFault]]:
    path = f"{PAYLOAD}{RECORD}"
    try:
        content = json.loads(bag.read(RECORD))
        record = RecordJson.model_validate(content)
    except ValidationError as error:
        return None, [BagFault(path, f"is no record: {refusal(error)}")]
    except (BadInput, ValueError) as error:
        return None, [BagFault(path, f"cannot be read: {error}")]
    broken = [BagFault(path, f"history, entry {one.number}: {one.reason}") for one in faults_of(record.history)]
    return record, broken


def _replayed(bag: Bag, record: RecordJson, progress: Progress) -> Replay:
    with tempfile.TemporaryDirectory(prefix="amber-ladder-replay-") as scratch:
        return replay_into(bag, record, Path(scratch), progress)
