"""TILES.json: which merges are laid together, and where each was said to lie."""

from typing import Annotated, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, FiniteFloat, StringConstraints, model_validator

from amber_ladder.core.tiles import Order, place_in_grid
from amber_ladder.formats.rig_json import Strict

Folder = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=500)]
MOST_TILES = 400


class GridJson(Strict):
    """Tiles in rows from the top left: ``snake`` says that every second row was shot from right to left.

    Where some are missing, ``numbers`` tells for each result which tile in the order of shooting it is, from 1.
    """

    columns: Annotated[int, Field(ge=1, le=100)]
    overlap: Annotated[float, Field(ge=0.03, le=0.9, allow_inf_nan=False)] = 0.2
    order: Order = "rows"
    numbers: list[Annotated[int, Field(ge=1, le=10_000)]] | None = None


class TileSetJson(Strict):
    """Merges that overlap, by their folders, and either a grid or where the stage stood for each, µm right and down.

    A tile may lie ``off`` (a share of a tile's longer side) from where it was said to.
    """

    results: Annotated[list[Folder], Field(min_length=2, max_length=MOST_TILES)]
    grid: GridJson | None = None
    places_um: list[tuple[FiniteFloat, FiniteFloat]] | None = None
    off: Annotated[float, Field(gt=0, le=0.3, allow_inf_nan=False)] = 0.05

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.grid is None) == (self.places_um is None):
            raise ValueError("say where the tiles lie: as a grid, or by places_um, not both")
        if self.places_um is not None and len(self.places_um) != len(self.results):
            raise ValueError("there must be as many places_um as results")
        numbers = self.grid.numbers if self.grid else None
        if numbers is not None and (len(numbers) != len(self.results) or len(set(numbers)) != len(numbers)):
            raise ValueError("there must be as many numbers as results, each of them once")
        return self

    def said_px(self, shape: tuple[int, int], um_per_px: float | None) -> NDArray[np.float64]:
        """Where the tiles' corners (N, 2: x, y) were said to lie, px, for tiles of this shape (H, W)."""
        if self.places_um is not None:
            assert um_per_px is not None
            return np.asarray(self.places_um, np.float64) / um_per_px
        assert self.grid is not None
        columns, step = self.grid.columns, 1.0 - self.grid.overlap
        places = []
        for number in self.grid.numbers or range(1, len(self.results) + 1):
            column, row = place_in_grid(number - 1, columns, self.grid.order)
            places.append((column * step * shape[1], row * step * shape[0]))
        return np.asarray(places, np.float64)
