"""The history of a stack as a chain: each entry carries the checksum of the one before, so none changes alone."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

FIRST = "0" * 64
"""What stands for the entry before the first."""
DID = (
    "opened", "planned", "shot", "left out", "taken back", "developed", "merged", "chosen", "mended", "measured",
    "exported", "corrected", "discarded", "restored", "undone", "received",
)  # fmt: skip
"""What an entry can tell of. One is "opened" where a stack was there before histories were kept, "received" where it

came from another station."""


@dataclass(frozen=True, slots=True)
class Fault:
    """An entry at which a chain does not hold, and why; number 0 for what concerns all of it."""

    number: int
    reason: str


def sealed(entry: Mapping[str, Any], before: str) -> str:
    """The checksum of an entry (SHA-256, hex) that follows on the one with the checksum ``before``.

    It is that of ``before``, a line feed, and the entry as JSON: keys sorted, no spaces, ASCII. The entry's own
    ``before`` and ``sha256`` are no part of it. Raises ValueError for what JSON cannot hold (NaN).
    """
    told = {name: value for name, value in entry.items() if name not in ("before", "sha256")}
    content = json.dumps(told, sort_keys=True, separators=(",", ":"), ensure_ascii=True, allow_nan=False)
    return sha256(f"{before}\n{content}".encode()).hexdigest()


def chained(entries: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """These entries numbered from 1 and sealed, each to the one before."""
    chain: list[dict[str, Any]] = []
    for number, entry in enumerate(entries, start=1):
        before = chain[-1]["sha256"] if chain else FIRST
        told = {"number": number, **entry}
        chain.append({**told, "before": before, "sha256": sealed(told, before)})
    return chain


def faults_of(chain: Sequence[Any]) -> list[Fault]:
    """Where a chain does not hold; empty where it does. Raises nothing: whatever was made of it is told."""
    found = list[Fault]()
    before = FIRST
    if not chain:
        return [Fault(0, "the history is empty")]
    for place, entry in enumerate(chain, start=1):
        if not isinstance(entry, Mapping):
            return [*found, Fault(place, "is no entry")]
        told = entry.get("sha256")
        if entry.get("number") != place:
            found.append(Fault(place, f"has the number {entry.get('number')}: an entry is missing or was put in"))
        if entry.get("before") != before:
            found.append(Fault(place, "does not follow on the entry before it"))
        if told != sealed(entry, str(entry.get("before"))):
            found.append(Fault(place, "was changed after it was written"))
        before = str(told)
    return found
