"""How well ground is told by depth from what lies before it, in merges of simulated stacks with the ground in focus."""

import numpy as np

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import Style, merge, survey
from amber_ladder.core.mending import ground_by_depth
from benchmarks.stacks import Stack

SEED = 101  # chosen on stacks of seeds 11, 12 and 41
_FARTHER_THAN_UM = {"bristles": 330.0, "bristles-noisy": 330.0, "antenna": 300.0}
_FEATHER_PX = 2.0


def measure(kind: str) -> tuple[float, float, float]:
    """Overlap with the true ground (intersection over union) as told and by depth alone; how much of the rest stays."""
    stack = Stack(kind, SEED)
    found = survey(stack.frames, progress=no_progress)
    merged = merge(stack.frames, found, Style("auto"), progress=no_progress)
    x, y, width, height = found.crop
    here = np.s_[y : y + height, x : x + width]
    limit_um = _FARTHER_THAN_UM[kind]
    truth = stack.stand.sharp_depth_um(stack.truths[found.reference].matrix)[here] > limit_um
    focus = np.array([stack.truths[frame].focus_um for frame in found.used])
    places = merged.depth_frames[here]
    depth_um = np.where(np.isnan(places), np.nan, np.interp(places, np.arange(len(focus)), focus)).astype(np.float32)
    share = ground_by_depth(np.ascontiguousarray(merged.composite[here]), depth_um, limit_um, _FEATHER_PX)
    assert share is not None
    told, farther = share > 0.5, ~(depth_um <= limit_um)
    overlap, alone = (float((one & truth).sum() / (one | truth).sum()) for one in (told, farther))
    return overlap, alone, float((~told)[~truth].mean())


def main() -> None:
    """Print a line a kind."""
    for kind in _FARTHER_THAN_UM:
        overlap, alone, stays = measure(kind)
        print(
            f"ground of {kind}, seed {SEED}: overlap {overlap:.3f} with the truth (to hold: 0.97; by depth alone "
            f"{alone:.3f}), {100 * stays:.0f} % of what is before it stays",
            flush=True,
        )
