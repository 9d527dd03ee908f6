"""The scale of a merge from something of known size in its own picture."""

from dataclasses import dataclass
from typing import Any

from amber_ladder.core.measuring import Rim
from amber_ladder.errors import BadInput
from amber_ladder.formats.measures_json import Place, ReferenceJson
from amber_ladder.store import tasks
from amber_ladder.store.base import PERSON
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Product
from amber_ladder.work.journal import changing
from amber_ladder.work.measure.instruments import basis_of, finished, opened
from amber_ladder.work.measure.measures import MeasuringView, measuring
from amber_ladder.work.on_disk.merge_result import read_merge
from amber_ladder.work.on_disk.referencing import reference_in, reference_json
from amber_ladder.work.stack.scale import planned_scale


@dataclass(frozen=True, slots=True)
class ReferenceView:
    """A scale that was found in the picture, its standard uncertainty, and how far it lies from the rig's.

    ``middle`` is where it is, px; ``depth_um`` how deep it lies; ``rim`` what was found of a coin or ball.
    """

    um_per_px: float
    u_um_per_px: float
    deviation: float
    found_px: float
    depth_um: float | None
    middle: Place
    rim: Rim | None
    notes: list[str]


def try_reference(merge_id: int, entry: ReferenceJson) -> ReferenceView:
    """The scale that something in the picture gives. Raises NotFound, and BadInput where it is not found."""
    with transaction(steady=True) as session:
        merge = finished(session, merge_id)
        found = _found(merge, entry)
        rim = found["rim"]
        planned = planned_scale(merge.take.stack).um_per_px
    return ReferenceView(
        found["um_per_px"], found["u_um_per_px"], found["um_per_px"] / planned - 1.0, found["found_px"],
        found["depth_um"], (found["middle"][0], found["middle"][1]), rim and Rim(**rim), found["notes"],
    )  # fmt: skip


def set_reference(merge_id: int, entry: ReferenceJson | None) -> MeasuringView:
    """Let a merge have its scale from there, or with None from its stack again. Raises as ``try_reference``."""
    with transaction() as session:
        merge = finished(session, merge_id)
        if entry is None and merge.reference is None:
            raise BadInput("this merge has the scale of its stack already")
        found = None if entry is None else {**_found(merge, entry), "by": PERSON.get()}
        words = "scale set from the picture itself" if found else "scale of the stack taken again"
        number = merge.take.stack.specimen.catalogue_number
        with changing(session, f"{number}: {words}", merge):
            merge.reference = found
        tasks.tell(session, "measure", {"merge_id": merge.id})
    return measuring(merge_id)


def _found(merge: Product, entry: ReferenceJson) -> dict[str, Any]:
    basis = basis_of(merge, provisional=True)
    return reference_json(entry, reference_in(read_merge(basis.folder), opened(basis).instrument, entry))
