"""A set of tiles as its pages see it: where each lies, where the stage must go, and how far each has come."""

from dataclasses import dataclass
from typing import Literal

from amber_ladder.core.tiles import TileGrid
from amber_ladder.store.models import Stack
from amber_ladder.store.tile_models import TileSet
from amber_ladder.work.stack.counted import counted_merge


@dataclass(frozen=True, slots=True)
class TileLine:
    """One tile: ``x_um`` and ``y_um`` are right and down of tile 1 in the specimen.

    ``stage_um`` is where the stage then stands, None while nobody told where tile 1 lies. ``mended`` says that the
    merge that counts has a mended picture.
    """

    stack_id: int
    stack_number: int
    number: int
    column: int
    row: int
    x_um: float
    y_um: float
    stage_um: tuple[float, float] | None
    state: Literal["planned", "shot", "merged"]
    merge_id: int | None
    mended: bool


@dataclass(frozen=True, slots=True)
class TilesView:
    """A set of tiles, seen from one of its stacks: ``number`` is which tile that is, 0 for the whole.

    ``whole_id`` is None where the whole was thrown away, ``gone`` the numbers of tiles that were.
    """

    columns: int
    rows: int
    overlap: float
    order: Literal["rows", "snake"]
    number: int
    whole_id: int | None
    step_um: tuple[float, float]
    covers_um: tuple[float, float]
    tiles: list[TileLine]
    gone: list[int]


def grid_of(tiles: TileSet) -> TileGrid:
    """The places of a set's tiles."""
    width, height = (one * tiles.inner_share for one in tiles.field_um)
    return TileGrid(tiles.columns, tiles.rows, tiles.overlap, tiles.order, (width, height))  # type: ignore[arg-type]


def tiles_view(stack: Stack) -> TilesView | None:
    """The set that a stack belongs to, None for a stack by itself."""
    tiles = stack.tile_set
    if tiles is None or stack.tile is None:
        return None
    grid = grid_of(tiles)
    by_number = {one.tile: one for one in stack.specimen.stacks if one.tile_set_id == tiles.id}
    whole = by_number.get(0)
    lines, gone = [], []
    for place in grid.places():
        one = by_number.get(place.number)
        if one is None:
            gone.append(place.number)
            continue
        merge = counted_merge(one)
        at = tiles.first_at_um
        lines.append(
            TileLine(
                one.id, one.number, place.number, place.column, place.row, place.x_um, place.y_um,
                (at[0] + place.x_um, at[1] + place.y_um) if at else None,
                "merged" if merge else "shot" if any(take.complete for take in one.takes) else "planned",
                merge.id if merge else None,
                merge is not None and any(
                    made.kind == "mend" and made.parent_id == merge.id and made.report for made in merge.take.products
                ),
            )
        )  # fmt: skip
    return TilesView(
        tiles.columns, tiles.rows, tiles.overlap, tiles.order, stack.tile,  # type: ignore[arg-type]
        whole.id if whole else None, grid.step_um, grid.covers_um, lines, gone,
    )  # fmt: skip
