"""Finding where a specimen begins and ends while focus sweeps through it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus._measure import focus_energy

Float = NDArray[np.float32]

_TILE_PX = 8  # pixels whose energy is pooled: noise averages out, a hair still fills one
_STANDS_OUT = 1.35  # a tile's peak against its own median over the sweep, in ratios of amplitude
_LEAST_SHARE = 0.0008  # of all tiles that must peak beyond a position for it to belong to the specimen
_STEPS_TO_JUDGE = 5


@dataclass(frozen=True, slots=True)
class Ends:
    """Stage positions in µm. ``near_um`` and ``far_um`` hold all detail but a few tiles; ``passed_*`` says whether

    the sweep went on beyond them, to where nothing is sharp any more.
    """

    near_um: float
    far_um: float
    passed_near: bool
    passed_far: bool


class EndsFinder:
    """Takes small grey pictures (H, W), 0 to 1, at rising positions, and keeps where each tile was sharpest."""

    def __init__(self) -> None:
        self._positions: list[float] = []
        self._energies: list[Float] = []

    def add(self, position_um: float, grey: Float) -> None:
        """The next picture."""
        energy = np.sqrt(focus_energy(grey))
        height, width = (side // _TILE_PX * _TILE_PX for side in energy.shape)
        tiles = energy[:height, :width].reshape(height // _TILE_PX, _TILE_PX, width // _TILE_PX, _TILE_PX)
        self._positions.append(position_um)
        # A tile holds many pixels, but a hair only some of them: the mean of squares favours those.
        self._energies.append(np.asarray(np.sqrt((tiles**2).mean(axis=(1, 3))), np.float32))

    def ends(self, sharp_um: float) -> Ends | None:
        """What was found so far; ``sharp_um`` is the sharp depth as a stage move. None while nothing was sharp."""
        if len(self._positions) < _STEPS_TO_JUDGE:
            return None
        positions, stack = np.asarray(self._positions), np.stack(self._energies)
        peak, index = stack.max(axis=0), stack.argmax(axis=0)
        floor = np.percentile(stack, 20, axis=0)
        noise = float(np.percentile(stack, 5))
        sure = (peak > _STANDS_OUT * floor) & (peak > 2.0 * noise)
        if int(sure.sum()) < 6:
            return None
        at = np.sort(positions[index[sure]])
        spare = max(1, round(_LEAST_SHARE * sure.size))
        near, far = float(at[min(spare, at.size - 1)]), float(at[max(-1 - spare, -at.size)])
        beyond = 1.5 * sharp_um
        return Ends(near, far, bool(positions[0] <= near - beyond), bool(positions[-1] >= far + beyond))

    def passed_far(self, sharp_um: float, beyond: float) -> bool:
        """Whether the sweep has gone ``beyond`` sharp depths past the last thing that was sharp."""
        found = self.ends(sharp_um)
        return found is not None and self._positions[-1] > found.far_um + beyond * sharp_um
