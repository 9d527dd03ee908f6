"""Merges as instruments: opened once, and kept at hand while they are measured on."""

from dataclasses import dataclass
from functools import lru_cache
from math import hypot
from pathlib import Path

import numpy as np
import tifffile
from numpy.typing import NDArray

from amber_ladder.core.measuring import NOMINAL_TOLERANCE, of_tolerance
from amber_ladder.core.optics import paraxial_focus_ratio, resolve, rim_focus_ratio
from amber_ladder.errors import BadInput, NotFound
from amber_ladder.formats.measures_json import FocusedBy, MediumJson, ScaleJson, TravelJson
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import Session
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Product
from amber_ladder.work.merge.merges import KIND as MERGE
from amber_ladder.work.on_disk.measuring import Known, instrument_of
from amber_ladder.work.on_disk.merge_result import read_merge
from amber_ladder.work.stack.scale import planned_scale, scale_of_merge
from amber_ladder.work.stack.views import stack_plan, stack_rig

_INDEX_TOLERANCE = 0.01
"""Half-width for the refractive index of a medium as it is entered: from tables, at whatever temperature."""


def finished(session: Session, merge_id: int) -> Product:
    """A finished merge. Raises NotFound."""
    merge = stacks.get_product(session, merge_id, MERGE)
    if merge.files is None:
        raise NotFound(f"merge {merge_id} is not finished: it cannot be measured on yet")
    return merge


@dataclass(frozen=True, slots=True)
class Basis:
    """All that a merge's instrument is made of; with the same basis it measures the same."""

    folder: Path
    scale_json: str
    medium_index: float
    medium_tolerance: float | None
    numerical_aperture: float
    focused_by: FocusedBy
    travel_json: str = ""

    @property
    def scale(self) -> ScaleJson:
        """The scale, and how sure it is."""
        return ScaleJson.model_validate_json(self.scale_json)

    @property
    def travel(self) -> TravelJson | None:
        """How true the distances between the frames are; None on a rail, of which the usual is assumed."""
        return TravelJson.model_validate_json(self.travel_json) if self.travel_json else None

    @property
    def medium(self) -> MediumJson:
        """What the specimen lies in, and how sure its index is."""
        return MediumJson(index=self.medium_index, u_index=self._u_index()[0])

    @property
    def assumed(self) -> list[str]:
        """What is assumed of the medium, in words."""
        return self._u_index()[1]

    def _u_index(self) -> tuple[float, list[str]]:
        index, na = self.medium_index, self.numerical_aperture
        if index <= 1.0:
            return 0.0, []
        # Focus in a medium lies somewhere between that of rays near the axis and of those at the rim.
        apart = index * abs(rim_focus_ratio(na, index) / paraxial_focus_ratio(index) - 1.0)
        tolerance = _INDEX_TOLERANCE if self.medium_tolerance is None else self.medium_tolerance
        said = [f"the medium's index is known to {_INDEX_TOLERANCE:g}"] if self.medium_tolerance is None else []
        said.append("focus in it lies between that of rays near the axis and at the rim")
        return hypot(of_tolerance(tolerance), of_tolerance(apart)), said


def basis_of(merge: Product, *, provisional: bool = False) -> Basis:
    """What measures on a merge rest on, as far as its stack tells now. Raises BadInput where no scale is known.

    A ``provisional`` one has then the scale that was planned: for what does not depend on it.
    """
    stack, scale = merge.take.stack, scale_of_merge(merge)
    if scale is None and not provisional:
        raise BadInput(
            "no scale is known: the frames have not the pixels of the rig's sensor. Set it from something of "
            "known size in the picture"
        )
    scale = scale or planned_scale(stack)
    rig, specimen = stack_rig(stack), stack.specimen
    return Basis(
        FrameStore(settings().data).product_folder(merge.id),
        ScaleJson(um_per_px=scale.um_per_px, u_um_per_px=scale.u_um_per_px).model_dump_json(),
        rig.medium_index,
        # What the label says counts for what the stack was planned in only.
        specimen.medium_tolerance if specimen.medium_index == rig.medium_index else None,
        resolve(rig.to_core()).numerical_aperture,
        "rail" if stack_plan(stack).moves == "rail" else "ring",
        _travel_json(stack_plan(stack)),
    )


def _travel_json(plan: LadderRequestJson) -> str:
    """How true the distances of a plan's rungs are: by what moves the focus, and whether its scale was measured."""
    knob, unit = plan.knob, plan.focus_unit
    if knob:
        per, u, whose = knob.um_per_division, knob.u_um_per_division, "the knob's scale, as engraved,"
    elif unit:
        per, u, whose = unit.um_per_unit, unit.u_um_per_unit or None, "a focus step of the body"
    else:
        return ""
    if u is not None:
        return TravelJson(u=u / per).model_dump_json()
    said = f"{whose} is true to {NOMINAL_TOLERANCE:.0%}: nobody measured it"
    return TravelJson(u=of_tolerance(NOMINAL_TOLERANCE), assumed=[said]).model_dump_json()


def instrument(merge: Product) -> Known:
    """A merge to measure on. Raises BadInput."""
    return opened(basis_of(merge))


@lru_cache(maxsize=4)
def opened(basis: Basis) -> Known:
    """The instrument with this basis; the last few are kept at hand. Raises BadInput."""
    scale = basis.scale
    known = instrument_of(
        read_merge(basis.folder), scale=scale, medium=basis.medium, focused_by=basis.focused_by, travel=basis.travel
    )
    whence = "measured" if scale.u_um_per_px is not None else "nominal"
    return Known(known.instrument, whence, (*known.assumed, *basis.assumed), known.found)


def retouched(merge: Product, places: NDArray[np.float64]) -> list[str]:
    """The names of mended pictures of a merge that were retouched at one of these places (N, 2) px."""
    made = [one for one in merge.take.products if one.parent_id == merge.id and one.kind == "mend" and one.files]
    return [
        str(one.settings.get("name") or f"mend {one.number}")
        for one in made
        if _touched(FrameStore(settings().data).product_folder(one.id) / "changed.tif", places)
    ]


def _touched(path: Path, places: NDArray[np.float64]) -> bool:
    if not path.is_file() or not len(places):
        return False
    kinds = _marks(path, path.stat().st_mtime_ns)
    column = np.clip(np.rint(places[:, 0]).astype(int), 0, kinds.shape[1] - 1)
    row = np.clip(np.rint(places[:, 1]).astype(int), 0, kinds.shape[0] - 1)
    found = kinds[row, column]
    # Tones change no size; all else shows what other pixels showed.
    return bool(((found > 0) & (found < 5)).any())


@lru_cache(maxsize=2)
def _marks(path: Path, _changed_at: int) -> NDArray[np.uint8]:
    return np.asarray(tifffile.imread(path), np.uint8)
