"""Packages of stacks, and the same with another record."""

import json
from collections.abc import Callable
from itertools import count
from pathlib import Path
from typing import Any
from zipfile import ZipFile

from amber_ladder.core.history import chained
from amber_ladder.errors import AmberLadderError
from amber_ladder.formats.bags import Bag, Packed, write_bag
from amber_ladder.work import plan, record
from amber_ladder.work.stack.views import StackView
from tests.support.takes import have_done

_COPIES = count(2)


def packed(merge_id: int) -> Path:
    begun = record.begin_package(merge_id)
    have_done(begun.task.id)
    return record.package_file(begun.id)[0]


def received(package: Path | bytes) -> record.DeliveryView:
    """A package as it was gone through."""
    content = package if isinstance(package, bytes) else package.read_bytes()
    return _ended(record.receive_package(iter([content])))


def brought(key: str, **entry: Any) -> StackView:
    """The stack that a package becomes. Raises AmberLadderError with what is said where it becomes none."""
    done = _ended(record.bring_package(key, record.BringEntry.model_validate(entry)))
    assert done.stack_id is not None
    return plan.read_stack(done.stack_id)


def _ended(delivery: record.DeliveryView) -> record.DeliveryView:
    have_done(delivery.task.id)
    told = record.read_delivery(delivery.key)
    if told.task.state != "done":
        raise AmberLadderError(told.task.message)
    return told


def content(package: Path) -> dict[str, Any]:
    with ZipFile(package) as file:
        name = next(one for one in file.namelist() if one.endswith("data/record.json"))
        told: dict[str, Any] = json.loads(file.read(name))
        return told


def changed(package: Path, change: Callable[[dict[str, Any]], Any]) -> Path:
    """A package with another record, sound in itself, and of another stack by its history; written beside it."""
    told = content(package)
    bare = [{name: one[name] for name in one if name not in ("before", "sha256")} for one in told["history"]]
    told["history"] = chained([{**bare[0], "words": f"planned {next(_COPIES)} times"}, *bare[1:]])
    change(told)
    bag, files = Bag(package), []
    for name in bag.names:
        if name == "record.json":
            files.append(Packed(name, json.dumps(told).encode()))
        else:
            with bag.open(name) as file:
                files.append(Packed(name, file.read()))
    bag.close()
    path = package.parent / f"changed-{next(_COPIES)}.zip"
    with path.open("wb") as out:
        write_bag(out, "changed", files, {"Bag-Software-Agent": "Amber Ladder test"}, lambda _: None)
    return path
