"""What the first pass over a stack found, kept beside its results: further merges and patches begin from there."""

import hashlib
import json
from dataclasses import asdict
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np

from amber_ladder import __version__
from amber_ladder.compiled import source_sha256
from amber_ladder.core.depth import Surface
from amber_ladder.core.fusion import Excluded, Growth, Moved, Survey
from amber_ladder.core.light import Speck

FILE = "survey.npz"
_PLAIN = ("used", "places", "reference", "rms_px", "corner_px", "shown_px", "gains", "blur_px", "factor", "crop",
          "gaps", "grain", "near_first", "order_basis")  # fmt: skip


def key_of(**reckoned_from: Any) -> str:
    """What tells one survey from another: all that it was reckoned from, and the code that did."""
    text = json.dumps({**reckoned_from, "code": [__version__, source_sha256()]}, sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()


def write_survey(path: Path, found: Survey, key: str) -> None:
    """All of a survey, so exactly that a merge which begins from it comes out the same to the byte."""
    said = {name: getattr(found, name) for name in _PLAIN}
    said["specks"] = [asdict(one) for one in found.specks]
    said["growth"] = asdict(found.growth)
    said["excluded"] = [asdict(one) for one in found.excluded]
    said["moved"] = [{"events": one.events, "first": one.first, "last": one.last, "sharp_at": one.sharp_at}
                     for one in found.moved]  # fmt: skip
    shape = found.surface.index.shape
    np.savez(
        path,
        key=np.array(key),
        said=np.array(json.dumps(said)),
        matrices=np.array(found.matrices, np.float64),
        index=found.surface.index,
        known=found.surface.known,
        confidence=found.confidence,
        masks=np.array([one.mask for one in found.moved], np.bool_).reshape(-1, *shape),
        told=np.array([one.told for one in found.moved], np.bool_).reshape(-1, *shape),
        soft=np.array([one.soft for one in found.moved], np.bool_).reshape(-1, *shape),
    )


def read_survey(path: Path, key: str | None = None) -> Survey | None:
    """A survey that was kept; None where there is none, it is damaged, or was reckoned from something else."""
    try:
        with path.open("rb") as content, np.load(content, allow_pickle=False) as file:
            if key is not None and str(file["key"]) != key:
                return None
            said = json.loads(str(file["said"]))
            said.setdefault("shown_px", said["corner_px"])  # of surveys that do not tell it apart: at most
            arrays = {
                name: file[name] for name in ("matrices", "index", "known", "confidence", "masks", "told", "soft")
            }
    except (OSError, EOFError, ValueError, KeyError, BadZipFile):
        return None
    plain: dict[str, Any] = {name: tuple(one) if isinstance(one, list) else one for name, one in said.items()}
    moved = zip(plain.pop("moved"), arrays["masks"], arrays["told"], arrays["soft"], strict=True)
    return Survey(
        matrices=tuple(arrays["matrices"]),
        surface=Surface(arrays["index"], arrays["known"]),
        confidence=arrays["confidence"],
        moved=tuple(
            Moved(mask, told, soft, one["sharp_at"], tuple(one["events"]), one["first"], one["last"])
            for one, mask, told, soft in moved
        ),
        specks=tuple(Speck(**one) for one in plain.pop("specks")),
        growth=Growth(**plain.pop("growth")),
        excluded=tuple(Excluded(**one) for one in plain.pop("excluded")),
        gaps=tuple((before, after) for before, after in plain.pop("gaps")),
        **plain,
    )
