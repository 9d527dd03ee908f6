"""Tiles as a set: how many, how far apart, in which order, and where the field must go for each."""

from dataclasses import dataclass
from math import ceil
from typing import Literal

Order = Literal["rows", "snake"]


@dataclass(frozen=True, slots=True)
class TilePlace:
    """One tile: its number in the order of shooting, from 1, and where its field lies, µm right and down of tile 1."""

    number: int
    column: int
    row: int
    x_um: float
    y_um: float


@dataclass(frozen=True, slots=True)
class TileGrid:
    """Tiles of one field each, in ``columns`` and ``rows``.

    ``field_um`` (width, height) is what every frame of a tile still shows after alignment, in the specimen;
    ``overlap`` (0 to 1) the share of it that neighbours have in common.
    """

    columns: int
    rows: int
    overlap: float
    order: Order
    field_um: tuple[float, float]

    @property
    def step_um(self) -> tuple[float, float]:
        """How far the field goes from one tile to the next, right and down, µm."""
        return self.field_um[0] * (1.0 - self.overlap), self.field_um[1] * (1.0 - self.overlap)

    @property
    def covers_um(self) -> tuple[float, float]:
        """Width and height of all tiles together, µm."""
        (width, height), (right, down) = self.field_um, self.step_um
        return width + (self.columns - 1) * right, height + (self.rows - 1) * down

    def places(self) -> tuple[TilePlace, ...]:
        """All tiles in the order of shooting."""
        right, down = self.step_um
        found = []
        for number in range(self.columns * self.rows):
            column, row = place_in_grid(number, self.columns, self.order)
            found.append(TilePlace(number + 1, column, row, column * right, row * down))
        return tuple(found)


def place_in_grid(number: int, columns: int, order: Order) -> tuple[int, int]:
    """Column and row of the tile that is shot as this one, all counted from 0.

    A ``snake`` goes back through every second row, so that the stage never goes far.
    """
    row, column = divmod(number, columns)
    return (columns - 1 - column if order == "snake" and row % 2 else column), row


def tiles_along(length_um: float, field_um: float, overlap: float) -> int:
    """How many fields in a row cover a length, each sharing ``overlap`` (0 to 1) of itself with the next."""
    if length_um <= field_um:
        return 1
    return 1 + ceil((length_um - field_um) / (field_um * (1.0 - overlap)) - 1e-9)
