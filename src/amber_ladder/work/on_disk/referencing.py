"""The scale of a merge from something of known size in its own picture."""

from dataclasses import asdict
from typing import Any

import numpy as np

from amber_ladder.core.frames import to_grey
from amber_ladder.core.measuring import ASSUMED_TOLERANCE, Instrument, Reference, of_tolerance, rounded, scale_from
from amber_ladder.formats.measures_json import ReferenceJson
from amber_ladder.work.on_disk.merge_result import MergeResult


def reference_in(merge: MergeResult, instrument: Instrument, entry: ReferenceJson) -> Reference:
    """The scale that something in a merge's picture gives. Raises BadInput where it is not found."""
    tolerance = ASSUMED_TOLERANCE if entry.tolerance_percent is None else entry.tolerance_percent / 100.0
    return scale_from(
        instrument,
        to_grey(np.ascontiguousarray(merge.composite), 1),
        entry.kind,
        np.array(entry.points, np.float64),
        size_um=entry.size_um,
        u_size_um=of_tolerance(tolerance) * entry.size_um,
    )


def reference_json(entry: ReferenceJson, found: Reference) -> dict[str, Any]:
    """What was found, rounded to what is known of it."""
    um_per_px, u = rounded(found.um_per_px, found.u_um_per_px)
    notes = list(found.notes)
    if entry.tolerance_percent is None:
        notes.append(f"its size is taken to be true to {100 * ASSUMED_TOLERANCE:g} %")
    return {
        **entry.model_dump(mode="json"),
        "um_per_px": um_per_px,
        "u_um_per_px": u,
        "found_px": round(found.found_px, 2),
        "depth_um": None if found.depth_um is None else round(found.depth_um, 1),
        "middle": [round(one, 2) for one in found.middle],
        "rim": None if found.rim is None else asdict(found.rim),
        "notes": notes,
    }
