"""A level of the pyramid in tiles, and those beside each other in strips."""

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

_TILE_PX, _STRIP_TILES = 64, 4


def tiles_of(shape: tuple[int, int], reach: int, wanted: NDArray[np.uint8] | None) -> NDArray[np.int64]:
    """Tiles (N, 4) of a level as top, bottom, left, right; only those in which anything is ``wanted`` (H, W)."""
    side = max(_TILE_PX, 4 * reach)
    edges = [list(range(0, length, side)) for length in shape]
    tiles = [
        (top, min(top + side, shape[0]), left, min(left + side, shape[1])) for top in edges[0] for left in edges[1]
    ]
    if wanted is not None:
        tiles = [one for one in tiles if wanted[one[0] : one[1], one[2] : one[3]].any()]
    return np.array(tiles, np.int64).reshape(-1, 4)


def strips_of(tiles: NDArray[np.int64]) -> NDArray[np.int64]:
    """Tiles (N, 4) that lie beside each other, put together by up to four: what is moved for both is moved once."""
    if not len(tiles):
        return tiles
    longest = _STRIP_TILES * int((tiles[:, 3] - tiles[:, 2]).max())
    before, after = tiles[:-1], tiles[1:]
    joined = (after[:, 0] == before[:, 0]) & (after[:, 2] == before[:, 3])
    joined &= after[:, 2] // longest == before[:, 2] // longest
    first = np.concatenate([[0], np.flatnonzero(~joined) + 1])
    last = np.concatenate([first[1:], [len(tiles)]]) - 1
    return np.column_stack([tiles[first, :3], tiles[last, 3]])


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def held_by(
    tiles: NDArray[np.int64], shape: tuple[int, int], plane: NDArray[Any], around_px: int
) -> NDArray[np.float64]:
    """Of a plane that shows what a level of this shape shows: lowest, highest and mean (N, 3) in each tile.

    So many of its pixels around a tile count, too.
    """
    out = np.empty((len(tiles), 3))
    smaller, more = len(plane) / shape[0], around_px + (around_px > 0)
    for tile in numba.prange(len(tiles)):
        top, bottom, left, right = tiles[tile]
        above, below = max(int(top * smaller) - around_px, 0), min(int(bottom * smaller) + more, len(plane))
        before, after = max(int(left * smaller) - around_px, 0), min(int(right * smaller) + more, plane.shape[1])
        low, high, total = np.inf, -np.inf, 0.0
        for q in range(above, below):
            for k in range(before, after):
                one = np.float64(plane[q, k])
                low, high, total = min(low, one), max(high, one), total + one
        out[tile] = low, high, total / ((below - above) * (after - before))
    return out
