"""Tiles planned as a set: one ladder for all, and where the field must go for each."""

from dataclasses import dataclass
from typing import Annotated, Self

from pydantic import Field, model_validator

from amber_ladder.core.optics import TILE_OVERLAP, resolve
from amber_ladder.core.planning import loose_framing
from amber_ladder.core.tiles import Order, TileGrid, TilePlace, tiles_along
from amber_ladder.errors import BadInput
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import RigJson, Strict
from amber_ladder.formats.tile_set_json import MOST_TILES
from amber_ladder.store import rigs, specimens, stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Stack
from amber_ladder.store.tile_models import TileSet
from amber_ladder.work.journal import added_together
from amber_ladder.work.on_disk.planning import ladder_of
from amber_ladder.work.plan.before import note_proposed
from amber_ladder.work.plan.ladders import PlanEntry, fill, fit
from amber_ladder.work.plan.previews import SubjectEntry
from amber_ladder.work.stack.views import StackView, stack_view

_LEAST_OVERLAP = 0.1
"""Below that too little is seen twice for a seam to be told sharply, with what the stage may be off."""
Side = Annotated[int, Field(ge=1, le=100)]
Overlap = Annotated[float, Field(ge=0.05, le=0.9, allow_inf_nan=False)]


class TilesEntry(Strict):
    """How many tiles, in which order, and how much neighbours share of what all frames of a tile still show."""

    columns: Side
    rows: Side
    overlap: Overlap = TILE_OVERLAP
    order: Order = "snake"

    @model_validator(mode="after")
    def _is_a_set(self) -> Self:
        if not 2 <= self.columns * self.rows <= MOST_TILES:
            raise ValueError(f"a set has 2 to {MOST_TILES} tiles: {self.columns} × {self.rows} are not")
        return self


class TileSetEntry(PlanEntry):
    """A ladder for a specimen, shot as tiles."""

    tiles: TilesEntry


class TilesTrial(Strict):
    """A ladder on a rig, the specimen's stated size, and the tiles; without columns or rows as many as are needed."""

    rig: RigJson
    plan: LadderRequestJson
    subject: SubjectEntry = SubjectEntry()
    columns: Side | None = None
    rows: Side | None = None
    overlap: Overlap = TILE_OVERLAP
    order: Order = "snake"


@dataclass(frozen=True, slots=True)
class TilesPreview:
    """A set of tiles as it would be. ``needed`` are the columns and rows that the specimen's stated size asks for.

    ``field_um`` is what all frames of a tile show, ``frames`` and ``seconds`` are those of all tiles: moving the stage
    is not counted.
    """

    columns: int
    rows: int
    needed: tuple[int | None, int | None]
    field_um: tuple[float, float]
    step_um: tuple[float, float]
    covers_um: tuple[float, float]
    places: list[TilePlace]
    frames: int
    seconds: float
    bytes: int
    warnings: list[str]


def try_tiles(entry: TilesTrial) -> TilesPreview:
    """The set as it would be, without saving anything. Raises BadInput."""
    core = entry.rig.to_core()
    optics = resolve(core)
    ladder = ladder_of(entry.plan, core, optics)
    framing = loose_framing(core, optics, travel_um=ladder.travel_um, moves=entry.plan.moves)
    field_um = (framing.field_mm[0] * 1e3, framing.field_mm[1] * 1e3)
    if min(field_um) <= 0:
        raise BadInput("nothing is seen by every frame of such a ladder: plan fewer rungs", field="plan")
    sizes = (entry.subject.width_mm, entry.subject.height_mm)
    needed = tuple(
        None if size is None else tiles_along(size * 1e3, field, entry.overlap)
        for size, field in zip(sizes, field_um, strict=True)
    )
    grid = TileGrid(entry.columns or needed[0] or 1, entry.rows or needed[1] or 1, entry.overlap, entry.order, field_um)
    count = grid.columns * grid.rows
    if count > MOST_TILES:
        raise BadInput(
            f"{grid.columns} × {grid.rows} tiles: {MOST_TILES} at most. Use less magnification", field="rows"
        )
    warnings = [
        f"They cover {covered / 1e3:.3g} mm of {size:.3g} mm in {way}: plan more {side}."
        for covered, size, way, side in zip(
            grid.covers_um, sizes, ("width", "height"), ("columns", "rows"), strict=True
        )
        if size is not None and covered < size * 1e3 * (1 - 1e-9)
    ]
    if entry.overlap < _LEAST_OVERLAP:
        warnings.append(
            f"With {entry.overlap:.0%} overlap a stage that is a little off leaves seams that nothing ties: "
            f"{TILE_OVERLAP:.0%} is usual."
        )
    return TilesPreview(
        grid.columns, grid.rows, (needed[0], needed[1]), field_um, grid.step_um, grid.covers_um, list(grid.places()),
        count * ladder.frames, count * ladder.seconds, count * ladder.bytes, warnings,
    )  # fmt: skip


def save_tiles(specimen_id: int, entry: TileSetEntry) -> StackView:
    """Plan a set of tiles: a stack for each, and one for the whole that they are laid together in; returns that one.

    Raises BadInput, NotFound.
    """
    asked = entry.tiles
    with transaction() as session:
        specimen, rig = specimens.get(session, specimen_id, locked=True), rigs.get(session, entry.rig_id)
        made = [Stack(tile=number) for number in range(asked.columns * asked.rows + 1)]
        for one in made:
            fill(one, rig, entry, specimen.medium_index)
        tiles = TileSet(specimen_id=specimen.id, columns=asked.columns, rows=asked.rows, overlap=asked.overlap,
                        order=asked.order)  # fmt: skip
        fit(tiles, made[0])
        session.add(tiles)
        session.flush()
        for one in made:
            one.tile_set_id = tiles.id
            stacks.add_stack(session, specimen, one)
        added_together(
            session,
            f"{asked.columns} × {asked.rows} tiles of {specimen.catalogue_number} planned, stacks {made[1].number} to "
            f"{made[-1].number}, to be laid together in stack {made[0].number}",
            made,
        )
        note_proposed(session, made[0], entry.proposed)
        session.expire_all()
        return stack_view(stacks.get_stack(session, made[0].id))
