"""RO-Crate 1.1 metadata of a package: what its files are, and by which act each was made from which."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import PurePosixPath
from typing import Any
from urllib.parse import quote

from amber_ladder.formats.label_json import LabelJson

FILE = "ro-crate-metadata.json"
_TYPES = {
    ".tif": "image/tiff", ".tiff": "image/tiff", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".png": "image/png",
    ".dng": "image/x-adobe-dng", ".json": "application/json",
}  # fmt: skip
_ABOUT = {
    "composite.tif": "merged picture", "depth.tif": "depth of each pixel, empty where unknown",
    "depth_u.tif": "standard uncertainty of depth", "changed.tif": "by what kind of step each pixel was changed",
    "report.json": "how it was made", "record.json": "the record, with the history of the stack",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Act:
    """Something that was made: what it is called, the files it was made from, and those it gave."""

    name: str
    of: Sequence[str]
    gave: Sequence[str]


def crate(
    name: str, label: LabelJson, sizes: Mapping[str, int], acts: Sequence[Act], version: str, at: datetime
) -> dict[str, Any]:
    """The metadata, for files of these names and sizes in bytes."""
    root: dict[str, Any] = {
        "@id": "./", "@type": "Dataset", "name": name, "datePublished": at.date().isoformat(),
        "description": _described(label), "hasPart": [{"@id": quote(one)} for one in sizes],
        "mentions": [{"@id": f"#act-{number}"} for number in range(1, len(acts) + 1)],
        "license": label.licence or "not stated",
    }  # fmt: skip
    people = {}
    for role, who in (("creator", label.photographer), ("copyrightHolder", label.rights_holder)):
        if who:
            people[who] = {"@id": f"#{quote(who)}", "@type": "Person" if role == "creator" else "Organization",
                           "name": who}  # fmt: skip
            root[role] = {"@id": f"#{quote(who)}"}
    return {
        "@context": "https://w3id.org/ro/crate/1.1/context",
        "@graph": [
            {"@id": FILE, "@type": "CreativeWork", "about": {"@id": "./"},
             "conformsTo": {"@id": "https://w3id.org/ro/crate/1.1"}},
            root,
            {"@id": "#amber-ladder", "@type": "SoftwareApplication", "name": "Amber Ladder",
             "softwareVersion": version},
            *people.values(),
            *(_file(one, size) for one, size in sizes.items()),
            *(_act(number, act) for number, act in enumerate(acts, start=1)),
        ],
    }  # fmt: skip


def _described(label: LabelJson) -> str:
    words = [label.catalogue_number, label.name, label.determination, label.locality]
    return "Focus stack of " + (", ".join(one for one in words if one) or "a specimen without a label")


def _file(name: str, size: int) -> dict[str, Any]:
    path = PurePosixPath(name)
    about = "original frame" if path.parts[0] == "originals" else _ABOUT.get(path.name)
    told = {"@id": quote(name), "@type": "File", "name": path.name, "contentSize": str(size),
            "encodingFormat": _TYPES.get(path.suffix.lower(), "application/octet-stream")}  # fmt: skip
    return {**told, "description": about} if about else told


def _act(number: int, act: Act) -> dict[str, Any]:
    return {
        "@id": f"#act-{number}", "@type": "CreateAction", "name": act.name,
        "instrument": {"@id": "#amber-ladder"},
        "object": [{"@id": quote(one)} for one in act.of],
        "result": [{"@id": quote(one)} for one in act.gave],
    }  # fmt: skip
