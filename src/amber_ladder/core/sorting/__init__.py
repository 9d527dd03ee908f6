"""What was shot, as one value: each frame's place, how sure that is, and what it is fit for."""

from amber_ladder.core.sorting._alike import Form, form_of, usual_form, why_unlike
from amber_ladder.core.sorting._repair import Repair, repair
from amber_ladder.core.sorting._shot import Shot
from amber_ladder.core.sorting._sorting import (
    DepthFrom,
    Gap,
    Sorting,
    depth_in_medium_um,
    gaps,
    missing_rungs,
    sort,
    spacing_um,
    strays,
)

__all__ = [
    "DepthFrom",
    "Form",
    "Gap",
    "Repair",
    "Shot",
    "Sorting",
    "depth_in_medium_um",
    "form_of",
    "gaps",
    "missing_rungs",
    "repair",
    "sort",
    "spacing_um",
    "strays",
    "usual_form",
    "why_unlike",
]
