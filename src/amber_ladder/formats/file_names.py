"""File names from a pattern, such that every system keeps them."""

import re
import unicodedata
from collections.abc import Mapping
from typing import Literal, get_args

from amber_ladder.errors import BadInput

Part = Literal["number", "name", "kind", "rig", "stack", "take", "run", "date"]
PARTS: tuple[Part, ...] = get_args(Part)
TELLS_APART: Mapping[Part, str] = {"stack": "stacks of one specimen", "take": "takes", "run": "runs of one take"}
"""What is called the same where a pattern has no such part."""
USUAL = "{number}_stack{stack}_take{take}_{run}"
_LONGEST, _LONGEST_PART = 120, 48
_NEEDED: Part = "number"
_LETTERS = str.maketrans({"ß": "ss", "æ": "ae", "Æ": "Ae", "ø": "o", "Ø": "O", "ł": "l", "Ł": "L", "đ": "d", "µ": "u"})
# https://learn.microsoft.com/windows/win32/fileio/naming-a-file: these are devices, whatever their ending.
_DEVICES = re.compile(r"(con|prn|aux|nul|com\d|lpt\d)", re.IGNORECASE)


def check_pattern(pattern: str, *, field: str) -> None:
    """Raises BadInput for a pattern that holds no catalogue number, an unknown part, or what a file name cannot."""
    without = pattern
    for part in PARTS:
        without = without.replace(f"{{{part}}}", "")
    if unknown := re.search(r"\{[^{}]*\}", without):
        raise BadInput(
            f"{unknown[0]} is no part: choose from {', '.join(f'{{{part}}}' for part in PARTS)}", field=field
        )
    if wrong := re.search(r"[^A-Za-z0-9_-]", without):
        raise BadInput(
            f"{wrong[0]!r} cannot stand in a file name on every system: use letters, digits, - and _", field=field
        )
    if f"{{{_NEEDED}}}" not in pattern:
        raise BadInput("without {number}, files of two specimens would be called the same", field=field)


def filled(pattern: str, values: Mapping[Part, str]) -> str:
    """A file's name without its ending: the pattern with the values of its parts. It is never empty."""
    name = pattern
    for part in PARTS:
        name = name.replace(f"{{{part}}}", safe(values[part])[:_LONGEST_PART])
    name = name.strip("-")[:_LONGEST] or "unnamed"
    return f"_{name}" if _DEVICES.fullmatch(name) else name


def safe(text: str) -> str:
    """Words as letters without accents, digits, - and _."""
    plain = unicodedata.normalize("NFKD", text.translate(_LETTERS)).encode("ascii", "ignore").decode()
    return re.sub(r"[^A-Za-z0-9_]+", "-", plain).strip("-")


def not_told_apart(pattern: str) -> list[str]:
    """What would be called the same, in words."""
    return [words for part, words in TELLS_APART.items() if f"{{{part}}}" not in pattern]
