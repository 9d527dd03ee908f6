"""What a look at a file told, as it is kept in the database."""

from datetime import datetime
from io import BytesIO
from math import nan
from typing import Any

import numpy as np

from amber_ladder.core.sorting.run import Against, Look, SeenFile
from amber_ladder.formats.metadata import Noted
from amber_ladder.store.card_models import CardFile

_OF_LOOK = ("factor", "cells", "level", "clipped", "detail", "along", "thumb")
_OF_PAIR = ("shift", "growth", "turn", "likeness", "changes")
_OF_FOCUS = ("refocused", "by_chance")


def packed(seen: SeenFile) -> bytes:
    """A look, and the comparison with the file before, as bytes."""
    parts: dict[str, Any] = {f"look_{name}": getattr(seen.look, name) for name in _OF_LOOK}
    if seen.against:
        parts |= {f"pair_{name}": getattr(seen.against, name) for name in (*_OF_PAIR, *_OF_FOCUS)}
    into = BytesIO()
    np.savez(into, **parts)
    return into.getvalue()


def seen_file(file: CardFile) -> SeenFile:
    """A file that was looked at, as it was seen."""
    assert file.look is not None, "looked at before"
    noted = noted_from(file.noted)
    with np.load(BytesIO(file.look)) as parts:
        look = Look(**{name: _plain(parts[f"look_{name}"]) for name in _OF_LOOK})
        pair = {name: _plain(parts[f"pair_{name}"]) for name in _OF_PAIR} if "pair_shift" in parts else None
        # Cards that were looked at earlier say nothing of it.
        focus = {name: _plain(parts[f"pair_{name}"]) if f"pair_{name}" in parts else nan for name in _OF_FOCUS}
    if pair:
        pair |= focus
        pair["shift"] = tuple(float(one) for one in pair["shift"])
    captured_at = noted.captured_at.replace(tzinfo=None) if noted.captured_at else None
    return SeenFile(
        file.name, file.name.rpartition("/")[0], file.width_px or 0, file.height_px or 0, file.bits or 8, captured_at,
        noted.exposure, look, Against(**pair) if pair else None, noted.focus_m,
    )  # fmt: skip


def noted_json(noted: Noted) -> dict[str, Any]:
    """What the camera noted, as it is kept: without what it did not."""
    told = {name: value for name in Noted.__slots__ if (value := getattr(noted, name)) is not None}
    if noted.captured_at:
        told["captured_at"] = noted.captured_at.isoformat()
    return told


def noted_from(told: dict[str, Any] | None) -> Noted:
    """The same, read again."""
    if not told:
        return Noted()
    at = told.get("captured_at")
    return Noted(**{**told, "captured_at": datetime.fromisoformat(at) if at else None})


def _plain(part: np.ndarray[Any, Any]) -> Any:
    return part if part.ndim else part.item()
