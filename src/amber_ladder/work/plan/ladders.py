"""Ladders that are saved: each is a stack with a copy of its rig and plan."""

from collections.abc import Iterator
from contextlib import contextmanager

from amber_ladder.core.optics import resolve
from amber_ladder.core.planning import loose_framing
from amber_ladder.errors import BadInput, Conflict, Stale
from amber_ladder.formats.plan_json import LadderRequestJson, Position
from amber_ladder.formats.rig_json import FNumber, Strict
from amber_ladder.formats.validated import validated
from amber_ladder.store import history, rigs, specimens, stacks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.models import Rig as StoredRig
from amber_ladder.store.models import Stack
from amber_ladder.store.tile_models import TileSet
from amber_ladder.work.journal import added, changing
from amber_ladder.work.on_disk.planning import ladder_of, stopped
from amber_ladder.work.plan.before import note_proposed
from amber_ladder.work.plan.proposed import ProposedFrom
from amber_ladder.work.stack.views import StackView, in_medium, stack_plan, stack_rig, stack_view


class PlanEntry(Strict):
    """A ladder for a specimen on a rig of the shelf, its lens or iris set to another f-number if one is given.

    ``proposed`` says from which stacks before it its figures come, None where nobody proposed any.
    """

    rig_id: int
    plan: LadderRequestJson
    marked_f_number: FNumber | None = None
    proposed: ProposedFrom | None = None


class EndsEntry(Strict):
    """The nearest and the farthest wanted point, as stage readings in µm."""

    near_um: Position
    far_um: Position


def save_ladder(specimen_id: int, entry: PlanEntry, *, why: str = "") -> StackView:
    """Start a stack: the rig and the medium are copied into it. Raises BadInput, NotFound.

    ``why`` is what its history says of it besides that it was planned.
    """
    with transaction() as session:
        specimen = specimens.get(session, specimen_id)
        stack = Stack()
        fill(stack, rigs.get(session, entry.rig_id), entry, specimen.medium_index)
        stacks.add_stack(session, specimen, stack)
        added(session, f"stack {stack.number} of {specimen.catalogue_number} planned", stack)
        note_proposed(session, stack, entry.proposed)
        if why:
            history.note(session, stack.id, "planned", why)
        session.expire_all()
        return stack_view(stacks.get_stack(session, stack.id))


def change_ladder(stack_id: int, entry: PlanEntry, *, seen: int | None = None) -> StackView:
    """Plan anew what was not shot yet. ``seen`` is the revision that the change started from.

    Raises BadInput, NotFound, Conflict once frames exist, and Stale.
    """
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id, locked=True)
        _refuse_shot(stack)
        if seen is not None and seen != stack.revision:
            raise Stale("this plan")
        rig, medium_index = rigs.get(session, entry.rig_id), stack.specimen.medium_index
        with _planned_anew(session, stack) as together:
            before = stack.rig
            for one in together:
                fill(one, rig, entry, medium_index)
            if stack.tile and stack.rig != before:
                raise Conflict("all tiles are shot with one rig: plan their whole anew, and they follow")
        note_proposed(session, stack, entry.proposed)
        return stack_view(stack)


def set_ends(stack_id: int, entry: EndsEntry) -> StackView:
    """Plan anew between these ends; the spacing stays. Raises BadInput, NotFound, Conflict once frames exist."""
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        _refuse_shot(stack)
        before = stack_plan(stack)
        spaced = before.overlap is not None or before.step_um is not None
        count = {} if spaced else {"frames": before.frames, "budget_s": before.budget_s}
        ends = {"near_um": entry.near_um, "far_um": entry.far_um, "frames": None, "budget_s": None, **count}
        after = validated(LadderRequestJson, {**before.model_dump(exclude_none=True), **ends})
        rig = stack_rig(stack).to_core()
        ladder_of(after, rig, resolve(rig))  # refuses what cannot be planned before anything is kept
        with _planned_anew(session, stack) as together:
            for one in together:
                one.plan = after.model_dump(mode="json", exclude_none=True)
        return stack_view(stack)


def read_stack(stack_id: int) -> StackView:
    """A stack with all that its stages show. Raises NotFound."""
    with transaction(steady=True) as session:
        stack = stacks.get_stack(session, stack_id)
        return stack_view(stack)


def fit(tiles: TileSet, whole: Stack) -> None:
    """Let a set of tiles have the field of its ladder. Raises BadInput where its frames have no place in common."""
    rig, plan = stack_rig(whole).to_core(), stack_plan(whole)
    optics = resolve(rig)
    travel_um = ladder_of(plan, rig, optics).travel_um
    share = loose_framing(rig, optics, travel_um=travel_um, moves=plan.moves).inner_share
    if share <= 0:
        raise BadInput("nothing is seen by every frame of such a ladder: plan fewer rungs", field="plan")
    tiles.field_um, tiles.inner_share = [one * 1e3 for one in optics.field_mm], share


def _together(stack: Stack) -> list[Stack]:
    """What is planned with a stack: itself, and all tiles where it is their whole."""
    if stack.tile != 0:
        return [stack]
    tiles = (one for one in stack.specimen.stacks if one.tile_set_id == stack.tile_set_id and one is not stack)
    return [stack, *tiles]


def _refuse_shot(stack: Stack) -> None:
    shot = [one for one in _together(stack) if one.takes]
    if shot and stack.tile == 0:
        raise Conflict(f"{len(shot)} of its tiles have been shot: they stay as they were. Plan a new set of tiles.")
    if shot:
        raise Conflict("this ladder has been shot: its plan stays as it was. Save the change as a new stack.")


@contextmanager
def _planned_anew(session: Session, stack: Stack) -> Iterator[list[Stack]]:
    """Gives all that is planned together, to be changed."""
    together, words = _together(stack), f"stack {stack.number} of {stack.specimen.catalogue_number} planned anew"
    tiles = [stack.tile_set] if stack.tile == 0 and stack.tile_set else []
    with changing(session, words, *together, *tiles):
        for one in together:
            one.revision += 1
        yield together
        for tile_set in tiles:
            fit(tile_set, stack)
    for one in together[1:]:
        history.note(session, one.id, "planned", f"{words}, and its tiles with it", {"rig": one.rig, "plan": one.plan})


def fill(stack: Stack, rig: StoredRig, entry: PlanEntry, medium_index: float) -> None:
    """Copy rig and medium into a stack, with the plan. Raises BadInput for what cannot be planned."""
    definition = in_medium(rig, medium_index)
    name = rig.name
    if entry.marked_f_number is not None:
        definition = stopped(definition, entry.marked_f_number)
        name = f"{rig.name[:100]}, at f/{entry.marked_f_number:.3g}"
    core = definition.to_core()
    ladder_of(entry.plan, core, resolve(core))  # refuses what cannot be planned before anything is kept
    stack.rig_id, stack.rig_name, stack.rig_version = rig.id, name, rig.version
    stack.rig = definition.model_dump(mode="json", exclude_none=True)
    stack.plan = entry.plan.model_dump(mode="json", exclude_none=True)
