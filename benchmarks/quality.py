"""How close merges of simulated stacks come to the truth, beside one frame and the best possible choice of frames."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import METHODS, Style, Survey, findings, merge, survey
from benchmarks.stacks import KINDS, Stack
from tests.support.stacks import psnr_db

SEED = 101  # parameters were chosen on stacks of seed 11
SMALL_PX, LARGE_PX = (800, 640), (4000, 3000)
LARGE = ("dome", "flake", "crystal", "leaf")
_EDGE_PX = 8


def measure(
    name: str, seed: int = SEED, size_px: tuple[int, int] = SMALL_PX, magnification: float = 5.0
) -> dict[str, float]:
    """One stack: figures by name."""
    stack = Stack(name, seed, size_px, magnification)
    found = survey(stack.frames, progress=no_progress)
    x, y, width, height = found.crop
    here = np.s_[y + _EDGE_PX : y + height - _EDGE_PX, x + _EDGE_PX : x + width - _EDGE_PX]
    truth = stack.stand.sharp_picture(stack.truths[found.reference].matrix)[here].astype(np.float64)

    def closeness(picture: NDArray[Any]) -> float:
        return psnr_db(picture[here].astype(np.float64), truth)

    off, telling = stack.misplaced_px(found), stack.telling(found)
    figures = {
        "left out": float(len(stack.frames.names) - len(found.used) - len(stack.faults)),
        "off, mean px": float(off[telling].mean()),
        "off, max px": float(off[telling].max()),
        "uneven %": 100.0 * stack.uneven(found),
        "one frame dB": max(closeness(picture) for picture in stack.frames.pictures),
        "best choice dB": closeness(stack.best_choice(found.reference)),
    }
    for method in METHODS:
        merged = merge(stack.frames, found, Style(method), progress=no_progress)
        figures[f"{method} dB"] = closeness(merged.composite)
        if method == "auto":
            figures["findings"] = float(len(findings(found, merged.share, stack.frames.names)))
        if len(stack.stands) > 1:
            there = stack.swept(found.reference)[here]
            figures[f"{method} over moved parts, of 255"] = float(np.abs(merged.composite[here] - truth)[there].mean())
    return {**figures, **_depth(stack, found, merged.depth_frames[here], here)}


def _depth(stack: Stack, found: Survey, depth: NDArray[Any], here: tuple[slice, ...]) -> dict[str, float]:
    true_um = stack.stand.sharp_depth_um(stack.truths[found.reference].matrix)[here]
    focus = np.array([stack.truths[frame].focus_um for frame in found.used])
    off = np.abs(np.interp(depth, np.arange(len(focus)), focus) - true_um) / stack.step_um
    known = np.isfinite(depth)
    return {
        "depth off, median steps": float(np.median(off[known])),
        "depth off > 2 steps %": 100.0 * float((off[known] > 2).mean()),
        "depth known %": 100.0 * float(known.mean()),
    }


def main(*, large: bool) -> None:
    """Print the table; the large one is of some kinds at 12 MP, 0.5 µm a px."""
    size_px, magnification = (LARGE_PX, 10.0) if large else (SMALL_PX, 5.0)
    print(f"simulated stacks of seed {SEED}, 26 to 30 frames of {size_px[0]} × {size_px[1]} px")
    for name in LARGE if large else KINDS:
        figures = measure(name, SEED, size_px, magnification)
        print(f"{name}: " + ", ".join(f"{what} {figure:.3g}" for what, figure in figures.items()), flush=True)
