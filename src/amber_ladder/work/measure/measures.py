"""Measures on a merge: tried while places are picked, taken, picked again, moved, named."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Annotated, Any

from pydantic import Field, StringConstraints, model_validator

from amber_ladder.core.measuring import KINDS, Measured, measure_repeated
from amber_ladder.errors import BadInput
from amber_ladder.formats.measures_json import KindName, MeasureJson, Place, Places
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import measures, tasks
from amber_ladder.store.base import PERSON, now
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.models import Measure, Product
from amber_ladder.work.journal import added, changing
from amber_ladder.work.measure.instruments import basis_of, finished, instrument, opened, retouched
from amber_ladder.work.on_disk.measuring import Known, budget, scale_json, told_json
from amber_ladder.work.stack.scale import scale_of_merge

Name = Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)]
_MOST_PICKS = 50


class PickEntry(Strict):
    """Places that somebody picked; those of a second face for a dihedral."""

    points: Annotated[Places, Field(min_length=1)]
    points_b: Places | None = None


class TriedEntry(PickEntry):
    """A measure that is not taken yet."""

    kind: KindName

    @model_validator(mode="after")
    def _as_written(self) -> "TriedEntry":
        MeasureJson(kind=self.kind, points=self.points, points_b=self.points_b)
        return self


class MeasureEntry(TriedEntry):
    """A measure to take; with an empty name it is called by its number."""

    name: Name = ""


class MeasureChange(Strict):
    """What is to be otherwise: a name, or places instead of those that were picked first."""

    name: Annotated[Name, StringConstraints(min_length=1)] | None = None
    pick: PickEntry | None = None


@dataclass(frozen=True, slots=True)
class PartView:
    """What one source brings to a value's uncertainty: ``u`` in the value's unit, and its share of the variance."""

    part: str
    u: float
    share: float
    source: str


@dataclass(frozen=True, slots=True)
class ToldView:
    """What a measure comes to. ``expanded`` is its expanded uncertainty for ``k``; None where nothing is told.

    ``message`` says why, where it cannot be measured at all. ``along_um``, ``depth_um`` and ``u_um`` are a profile's.
    """

    value: float | None
    unit: str
    expanded: float | None
    k: float
    parts: list[PartView]
    known: float
    notes: list[str]
    formula: str
    at_least: float | None
    at_most: float | None
    message: str | None
    along_um: list[float] | None = None
    depth_um: list[float | None] | None = None
    u_um: list[float | None] | None = None


@dataclass(frozen=True, slots=True)
class PickView:
    """Places as they were picked, by whom and when."""

    points: list[Place]
    points_b: list[Place] | None
    by: str | None
    at: datetime


@dataclass(frozen=True, slots=True)
class MeasureView:
    """A measure, with what it comes to now."""

    id: int
    number: int
    name: str
    kind: str
    picks: list[PickView]
    told: ToldView


@dataclass(frozen=True, slots=True)
class KindView:
    """A kind of measure: how many places it takes at least and at most, and what it needs."""

    kind: str
    unit: str
    least: int
    most: int | None
    needs_depth: bool
    outline: bool
    formula: str


@dataclass(frozen=True, slots=True)
class MeasuringView:
    """All measures of a merge, and what they rest on: its scale, whether it has depth in µm, and what is assumed.

    The scale is None where nobody knows it; ``reference`` is what in the picture gave it; ``found`` what else was found
    out of the frames themselves.
    """

    merge_id: int
    width_px: int
    height_px: int
    um_per_px: float | None
    u_um_per_px: float | None
    scale_from: str | None
    has_depth: bool
    assumed: list[str]
    found: list[str]
    reference: dict[str, Any] | None
    measures: list[MeasureView]


def kinds() -> list[KindView]:
    """All kinds of measures."""
    return [
        KindView(name, one.unit, one.least, one.most, one.needs_depth, one.outline, one.formula)
        for name, one in KINDS.items()
    ]


def measuring(merge_id: int) -> MeasuringView:
    """All measures of a merge. Raises NotFound."""
    with transaction(steady=True) as session:
        merge = finished(session, merge_id)
        known = opened(basis_of(merge, provisional=True))
        (height, width), has_depth = known.instrument.shape, known.instrument.depth_um is not None
        measures_of = [_view(one, merge) for one in _of(merge)]
        if scale_of_merge(merge) is None:
            return MeasuringView(merge.id, width, height, None, None, None, has_depth, [], [], None, measures_of)
        scale = scale_json(known)
        return MeasuringView(
            merge.id, width, height, scale["um_per_px"], scale["u_um_per_px"], known.scale_from, has_depth,
            list(known.assumed), list(known.found), merge.reference, measures_of,
        )  # fmt: skip


def recorded(merge: Product) -> list[dict[str, Any]]:
    """All measures of a merge as its record keeps them: by whom each was picked where, and what it comes to now."""
    known = None if scale_of_merge(merge) is None else instrument(merge)
    rests_on: dict[str, Any] = {"scale": None, "assumed": []}
    if known:
        rests_on = {"scale": scale_json(known), "assumed": list(known.assumed)}
    return [
        {"number": one.number, "name": one.name, "kind": one.kind, "picks": one.picks,
         "told": asdict(_view(one, merge).told), **rests_on}
        for one in _of(merge)
    ]  # fmt: skip


def _of(merge: Product) -> list[Measure]:
    return [one for one in merge.take.measures if one.merge_id == merge.id]


def tried(merge_id: int, entry: TriedEntry) -> ToldView:
    """What a measure would come to. Raises NotFound, and BadInput where it cannot be measured."""
    with transaction(steady=True) as session:
        merge = finished(session, merge_id)
        known = instrument(merge)
        return _told(merge, known, entry.kind, _measured(known, entry.kind, [entry.model_dump()]), arrays=True)


def take(merge_id: int, entry: MeasureEntry) -> MeasureView:
    """Take a measure. Raises NotFound, and BadInput where it cannot be measured."""
    with transaction() as session:
        merge = finished(session, merge_id)
        known = instrument(merge)
        pick = _pick(entry)
        _measured(known, entry.kind, [pick])
        measure = measures.add(session, merge, entry.kind, entry.name, pick)
        added(session, f"measure {measure.name} taken", measure)
        tasks.tell(session, "measure", {"merge_id": merge.id})
        return _view(measure, merge)


def change(measure_id: int, entry: MeasureChange) -> MeasureView:
    """Name a measure otherwise, or move its places. Raises NotFound, and BadInput where it cannot be measured."""
    with transaction() as session:
        measure, merge, known = _locked(session, measure_id)
        words = f"measure {measure.name} renamed" if entry.name else f"places of measure {measure.name} moved"
        with changing(session, words, measure):
            if entry.name:
                measure.name = entry.name
            if entry.pick:
                picks = [_pick(entry.pick), *measure.picks[1:]]
                _measured(known, measure.kind, picks)
                measure.picks = picks
        tasks.tell(session, "measure", {"merge_id": merge.id})
        return _view(measure, merge)


def pick_again(measure_id: int, entry: PickEntry) -> MeasureView:
    """One more pick of the same: how far picks differ tells how sure they are. Raises NotFound, and BadInput."""
    with transaction() as session:
        measure, merge, known = _locked(session, measure_id)
        if len(measure.picks) >= _MOST_PICKS:
            raise BadInput(f"this was picked {_MOST_PICKS} times already: that is enough")
        picks = [*measure.picks, _pick(entry)]
        _measured(known, measure.kind, picks[-1:])
        with changing(session, f"measure {measure.name} picked again", measure):
            measure.picks = picks
        tasks.tell(session, "measure", {"merge_id": merge.id})
        return _view(measure, merge)


def _locked(session: Session, measure_id: int) -> tuple[Measure, Product, Known]:
    measure = measures.get(session, measure_id, locked=True)
    merge = finished(session, measure.merge_id)
    return measure, merge, instrument(merge)


def _pick(entry: PickEntry) -> dict[str, Any]:
    return {
        "points": [list(one) for one in entry.points],
        "points_b": None if entry.points_b is None else [list(one) for one in entry.points_b],
        "by": PERSON.get(),
        "at": now().isoformat(timespec="seconds"),
    }


def _measured(known: Known, kind: str, picks: Sequence[dict[str, Any]]) -> Measured:
    return measure_repeated(known.instrument, kind, [(one["points"], one.get("points_b")) for one in picks])


def _view(measure: Measure, merge: Product) -> MeasureView:
    try:
        known = instrument(merge)
        told = _told(merge, known, measure.kind, _measured(known, measure.kind, measure.picks), arrays=False)
    except BadInput as error:  # taken when more was known
        told = ToldView(
            None, KINDS[measure.kind].unit, None, 2.0, [], 0.0, [], KINDS[measure.kind].formula, None, None, str(error)
        )
    return MeasureView(
        measure.id, measure.number, measure.name, measure.kind, list(map(_pick_view, measure.picks)), told
    )


def _pick_view(pick: dict[str, Any]) -> PickView:
    return PickView(
        [tuple(one) for one in pick["points"]],
        None if pick["points_b"] is None else [tuple(one) for one in pick["points_b"]],
        pick["by"],
        datetime.fromisoformat(pick["at"]),
    )


def _told(merge: Product, known: Known, kind: str, measured: Measured, *, arrays: bool) -> ToldView:
    words = told_json(MeasureJson.model_construct(name="", kind=kind, points=[]), measured, known)
    notes = [*words["notes"], *(f"touches what was mended in {name}" for name in retouched(merge, measured.places))]
    parts = [PartView(one["part"], one["u"], one["share"], one["from"]) for one in budget(measured, known)]
    curve = {name: words.get(name) if arrays else None for name in ("along_um", "depth_um", "u_um")}
    return ToldView(
        words["value"], words["unit"], words["U"], words["k"], parts, words["known"], notes, words["formula"],
        words.get("at_least"), words.get("at_most"), None, **curve,
    )  # fmt: skip
