"""Packages of stacks, and the same with another record."""

import json
from collections.abc import Callable
from itertools import count
from pathlib import Path
from typing import Any
from zipfile import ZipFile

from amber_ladder.core.history import chained
from amber_ladder.formats.bags import Bag, Packed, write_bag
from amber_ladder.work import record
from tests.support.takes import have_done

_COPIES = count(2)


def packed(merge_id: int) -> Path:
    begun = record.begin_package(merge_id)
    have_done(begun.task.id)
    return record.package_file(begun.id)[0]


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
