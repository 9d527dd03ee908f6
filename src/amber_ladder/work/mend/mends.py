"""Mends: begun on a merge, changed step by step, undone to the beginning, named, copied, made anew on another merge."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import Field, StringConstraints

from amber_ladder.core.optics import airy_blur, resolve
from amber_ladder.errors import BadInput, Conflict, NotFound, Stale
from amber_ladder.formats.mend_json import BEST, CropStep, Dust, FromFrame, FromMerge, StepJson
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import mends, stacks, tasks
from amber_ladder.store.base import PERSON
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.mend_models import Mend
from amber_ladder.store.models import Product
from amber_ladder.store.queue import AT_STATION, enqueue
from amber_ladder.work.journal import did
from amber_ladder.work.mend.desk import Opened, opened, rack_of
from amber_ladder.work.mend.finishing import MENDED
from amber_ladder.work.mend.history import Kept, adding, as_json, in_order, kept, setting, words_of
from amber_ladder.work.mend.places import PlaceState, PlaceView, places_of, share_of
from amber_ladder.work.mend.racking import wanted_rack
from amber_ladder.work.merge.merges import KIND as MERGE
from amber_ladder.work.stack.views import TaskView, stack_rig, task_view

Name = Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)]
_LEAST_SHARPEN_PX = 0.5


class MendEntry(Strict):
    """What a new mend is called; empty for its number."""

    name: Name = ""


class CopyEntry(MendEntry):
    """A copy's name, and the merge of the same take it is made anew on; None for the same."""

    merge_id: int | None = None


class StepEntry(Strict):
    """A step, and the ``revision`` of the mend that it was done on."""

    revision: Annotated[int, Field(ge=1)]
    step: StepJson


class Seen(Strict):
    """The revision that a change started from."""

    revision: Annotated[int, Field(ge=1)]


class NameEntry(Strict):
    """A new name."""

    name: Annotated[Name, StringConstraints(min_length=1)]


class JudgedEntry(Strict):
    """How a place is left."""

    state: PlaceState


@dataclass(frozen=True, slots=True)
class StepView:
    """A step as STEPS.json has it, by its number, and what was said of it when it was done."""

    number: int
    step: dict[str, Any]
    said: dict[str, Any]


@dataclass(frozen=True, slots=True)
class RackView:
    """What was looked up of all frames: ``spots`` of dust, None until it is; ``task`` is the work on it."""

    task: TaskView | None
    spots: list[dict[str, Any]] | None


@dataclass(frozen=True, slots=True)
class MendedView:
    """A mended picture that was written, of which revision, and its report once it is there."""

    id: int
    revision: int
    task: TaskView
    report: dict[str, Any] | None


@dataclass(frozen=True, slots=True)
class MendView:
    """A mend with all that its page shows. ``undo`` and ``redo`` say what could be, None for nothing.

    ``tiles`` names what each tile of ``tile_px`` shows, row by row, "0" for the merge's own pixels. ``places_share`` is
    the part of the picture that its places touch. ``sharpen_px`` is the radius that the Airy disc suggests.
    """

    id: int
    number: int
    name: str
    take_id: int
    stack_id: int
    merge_id: int
    merge_number: int
    width_px: int
    height_px: int
    bits: int
    revision: int
    undo: str | None
    redo: str | None
    steps: list[StepView]
    tile_px: int
    tiles: list[list[str]]
    places: list[PlaceView]
    places_share: float
    depth_unit: str
    depth_um: float | None
    um_per_px: float | None
    sharpen_px: float
    rack: RackView
    mended: MendedView | None


def begin(merge_id: int, entry: MendEntry) -> MendView:
    """Begin a mend of a finished merge, and look up what is needed of its frames. Raises NotFound, Conflict."""
    with transaction() as session:
        merge = _finished(session, merge_id)
        mend = mends.add(session, merge, entry.name)
        did(session, f"{mend.name} of merge {merge.number} of take {merge.take.number} begun", merge.take.stack)
        rack = wanted_rack(session, merge)
        mend_id = mend.id
    if rack:
        enqueue(rack, where=AT_STATION)
    return read(mend_id)


def read(mend_id: int) -> MendView:
    """One mend. Raises NotFound."""
    with transaction() as session:
        mend = mends.get(session, mend_id)
        merge_id = mend.merge_id
    there = opened(merge_id)
    with transaction() as session:
        return _view(session, mends.get(session, mend_id), there)


def add_step(mend_id: int, entry: StepEntry) -> MendView:
    """Lay one more step on. Raises NotFound, BadInput where it cannot be done, Conflict, and Stale."""
    there, take_id, steps = _read_steps(mend_id, entry.revision)
    if isinstance(entry.step, CropStep):
        before = next((one for one in steps if isinstance(one.step, CropStep)), None)
        if before:  # a picture has one crop: the later one takes the place of the earlier
            return _changed(
                mend_id, entry.revision, setting(before.number, entry.step, _said(there, take_id, entry.step))
            )
    return _changed(mend_id, entry.revision, adding(entry.step, _said(there, take_id, entry.step)))


def change_step(mend_id: int, number: int, entry: StepEntry) -> MendView:
    """Put another step in the place of one: nudged, switched off or on, set otherwise. Raises as adding one does."""
    there, take_id, steps = _read_steps(mend_id, entry.revision)
    if not 0 <= number < len(steps):
        raise BadInput(f"there is no step {number + 1}: load the page again", field="number")
    if steps[number].step.kind != entry.step.kind:
        raise BadInput("a step cannot become one of another kind: add a new one", field="step")
    said = steps[number].said if entry.step.off else _said(there, take_id, entry.step)
    return _changed(mend_id, entry.revision, setting(number, entry.step, said))


def undo(mend_id: int, seen: Seen) -> MendView:
    """Go one change back. Raises NotFound, Conflict at the beginning, and Stale."""
    with transaction() as session:
        mend = _locked(session, mend_id, seen.revision)
        if mend.position == 0:
            raise Conflict("this is the beginning: there is nothing to undo")
        mend.position -= 1
        mend.revision += 1
        _tell(session, mend)
    return read(mend_id)


def redo(mend_id: int, seen: Seen) -> MendView:
    """Do again what was undone last. Raises NotFound, Conflict where nothing was, and Stale."""
    with transaction() as session:
        mend = _locked(session, mend_id, seen.revision)
        if mends.next_change(session, mend) is None:
            raise Conflict("nothing was undone: there is nothing to do again")
        mend.position += 1
        mend.revision += 1
        _tell(session, mend)
    return read(mend_id)


def look_again(mend_id: int) -> MendView:
    """Look up what is needed of the frames, where that failed or was stopped. Raises NotFound."""
    with transaction() as session:
        rack = wanted_rack(session, mends.get(session, mend_id).merge)
    if rack:
        enqueue(rack, where=AT_STATION)
    return read(mend_id)


def rename(mend_id: int, entry: NameEntry) -> MendView:
    """Call it otherwise. Raises NotFound."""
    with transaction() as session:
        mend = mends.get(session, mend_id, locked=True)
        mend.name = entry.name
        _tell(session, mend)
    return read(mend_id)


def judge(mend_id: int, key: str, entry: JudgedEntry) -> MendView:
    """Say how a place is left. Raises NotFound, BadInput for a place that the merge does not have."""
    with transaction() as session:
        mend = mends.get(session, mend_id, locked=True)
        report = mend.merge.report or {}
        if all(one.key != key for one in places_of(report, {})):
            raise BadInput("this merge has no such place: load the page again", field="key")
        mend.judged = {**mend.judged, key: entry.state}
        _tell(session, mend)
    return read(mend_id)


def copy(mend_id: int, entry: CopyEntry) -> MendView:
    """The same steps in a mend of their own, on the same merge or made anew on another of the take.

    All or none: raises BadInput, which names the step that cannot be done there; NotFound, Conflict.
    """
    with transaction() as session:
        mend = mends.get(session, mend_id)
        merge = _finished(session, entry.merge_id or mend.merge_id)
        if merge.take_id != mend.take_id:
            raise BadInput("that merge is one of another take: its frames are others", field="merge_id")
        merge_id, changes = merge.id, mends.counted_changes(session, mend)
    there = opened(merge_id)
    anew = []
    for number, one in enumerate(kept(changes), 1):
        try:
            anew.append(adding(one.step, one.said if one.step.off else _said(there, merge.take_id, one.step)))
        except (BadInput, Conflict) as error:
            raise BadInput(f"step {number} ({one.step.kind}): {error}", field="merge_id") from error
    with transaction() as session:
        mend = mends.get(session, mend_id)
        new = mends.add(session, _finished(session, merge_id), entry.name or f"{mend.name}, copy"[:120])
        for change in anew:
            mends.add_change(session, new, change, PERSON.get())
        did(session, f"{new.name} begun as a copy of {mend.name}", mend.take.stack)
        new_id = new.id
    return read(new_id)


def steps_json(mend_id: int) -> dict[str, Any]:
    """STEPS.json: what `./ladder mend` takes, in the order in which the steps are applied. Raises NotFound."""
    with transaction() as session:
        steps = in_order(kept(mends.counted_changes(session, mends.get(session, mend_id))))
    return {"version": 1, "steps": [as_json(one.step) for one in steps]}


def applied(steps: Sequence[Kept]) -> list[StepJson]:
    """The steps that are on, in the order in which they are applied."""
    return [one.step for one in in_order(steps) if not one.step.off]


def shown(mend_id: int) -> tuple[Opened, list[StepJson]]:
    """What a mend shows now. Raises NotFound."""
    with transaction() as session:
        mend = mends.get(session, mend_id)
        merge_id, steps = mend.merge_id, kept(mends.counted_changes(session, mend))
    return opened(merge_id), applied(steps)


def _read_steps(mend_id: int, revision: int) -> tuple[Opened, int, list[Kept]]:
    """The merge, opened; the take; and the steps so far. Raises NotFound, Stale."""
    with transaction() as session:
        mend = mends.get(session, mend_id)
        if mend.revision != revision:
            raise Stale(mend.name)
        merge_id, take_id, steps = mend.merge_id, mend.take_id, kept(mends.counted_changes(session, mend))
    return opened(merge_id), take_id, steps


def _said(there: Opened, take_id: int, step: StepJson) -> dict[str, Any]:
    """What is to be said of a step; it is made ready here, outside of any transaction. Raises BadInput, Conflict."""
    if isinstance(step, FromFrame) and step.file == BEST:
        raise BadInput("name a frame: the best one is proposed, not painted from unseen", field="step.file")
    if isinstance(step, Dust) and not there.has_rack:
        raise Conflict("the frames are still being looked at: dust can be replaced once that is done")
    if isinstance(step, FromMerge):
        _check_take(step, take_id)
    there.maker.checked(step)
    if isinstance(step, CropStep):
        return {"lost": round(1 - step.width * step.height / (there.whole.right * there.whole.bottom), 4)}
    return there.made(step)[1]


def _check_take(step: FromMerge, take_id: int) -> None:
    """Frames of other takes have the same names: only the station knows which take a merge is one of."""
    with transaction() as session:
        try:
            merge = stacks.get_product(session, int(step.merge), MERGE)
        except (NotFound, ValueError) as error:
            raise BadInput(f"{step.merge} is no merge of this station: name one by its number") from error
        if merge.take_id != take_id:
            raise BadInput("that merge is one of another take: paint from one of the same frames", field="step.merge")


def _changed(mend_id: int, revision: int, change: dict[str, Any]) -> MendView:
    with transaction() as session:
        mend = _locked(session, mend_id, revision)
        mends.add_change(session, mend, change, PERSON.get())
        _tell(session, mend)
    return read(mend_id)


def _locked(session: Session, mend_id: int, revision: int) -> Mend:
    mend = mends.get(session, mend_id, locked=True)
    if mend.revision != revision:
        raise Stale(mend.name)
    return mend


def _finished(session: Session, merge_id: int) -> Product:
    merge = stacks.get_product(session, merge_id, MERGE)
    if merge.report is None:
        raise Conflict("this merge is not finished: wait for it")
    return merge


def _tell(session: Session, mend: Mend) -> None:
    tasks.tell(session, "mend", {"id": mend.id, "revision": mend.revision})


def _view(session: Session, mend: Mend, there: Opened) -> MendView:
    merge, changes = mend.merge, mends.counted_changes(session, mend)
    report, steps, next_one = merge.report or {}, kept(changes), mends.next_change(session, mend)
    places = places_of(report, mend.judged)
    width, height = there.whole.right, there.whole.bottom
    rack = rack_of(session, merge.id)
    written = [one for one in mends.products(session, merge.id, MENDED) if one.settings["mend_id"] == mend.id]
    latest = written[-1] if written else None
    return MendView(
        id=mend.id,
        number=mend.number,
        name=mend.name,
        take_id=mend.take_id,
        stack_id=mend.take.stack_id,
        merge_id=merge.id,
        merge_number=merge.number,
        width_px=width,
        height_px=height,
        bits=8 * there.merge.composite.itemsize,
        revision=mend.revision,
        undo=words_of(changes[-1]) if changes else None,
        redo=words_of(next_one) if next_one else None,
        steps=[StepView(one.number, as_json(one.step), one.said) for one in steps],
        tile_px=there.tile_px,
        tiles=there.keys(applied(steps)),
        places=places,
        places_share=share_of(places, width, height),
        depth_unit=report["settings"].get("depth_unit", "frames"),
        depth_um=report.get("depth_um"),
        um_per_px=(report.get("scale") or {}).get("um_per_px"),
        sharpen_px=round(max(_LEAST_SHARPEN_PX, airy_blur(resolve(stack_rig(mend.take.stack).to_core()).airy_px)), 2),
        rack=RackView(task_view(rack.task) if rack else None, rack.report["spots"] if rack and rack.report else None),
        mended=MendedView(latest.id, latest.settings["revision"], task_view(latest.task), latest.report)
        if latest else None,
    )  # fmt: skip
