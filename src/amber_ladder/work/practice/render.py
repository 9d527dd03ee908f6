"""Shooting a simulated specimen into a folder, with what is true of it."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from amber_ladder.core.frames import Progress
from amber_ladder.errors import BadInput
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.plan_json import PlanJson
from amber_ladder.formats.results import write_composite, write_depth, write_json
from amber_ladder.simulated.clock import HurriedClock
from amber_ladder.simulated.stand import SimulatedStand
from amber_ladder.work.on_disk.planning import whole_ladder
from amber_ladder.work.practice.stand import shoot_hurried, simulated_stand
from amber_ladder.work.shoot.run import Rungs, Taken


def render(
    specimen: str,
    plan: PlanJson,
    out: Path,
    progress: Progress,
    *,
    seed: int = 0,
    flaws: Sequence[str] = (),
    with_truth: bool = False,
    raw: bool = False,
) -> dict[str, Any]:
    """Shoot a simulated specimen into a new folder: frames, truth.json, and with truth the sharp picture and depth.

    Sharp picture and depth lie in the coordinates of the frame with the narrowest view. Raises BadInput, StorageFull.
    """
    if out.exists() and any(out.iterdir() if out.is_dir() else [out]):
        raise BadInput(f"{out} is not empty: name a new folder", field="out")
    positions = whole_ladder(plan).positions_um
    clock = HurriedClock()
    stand = simulated_stand(
        plan.rig, specimen,
        near_um=plan.near_um, seed=seed, flaws=flaws, timing=plan.timing.to_core(), clock=clock, raw=raw,
    )  # fmt: skip
    if out.is_dir():
        out.rmdir()
    with folder_in_one_piece(out) as scratch:

        def keep(taken: Taken) -> None:
            (scratch / taken.shot.name).write_bytes(taken.exposure.content)

        def told(done: int) -> None:
            progress("shoot", done, len(positions))

        rungs = Rungs(positions, tuple((rung, 0) for rung in range(len(positions))))
        shoot_hurried(stand, rungs, clock, settle_s=plan.timing.settle_s, keep=keep, told=told)
        truth = _truth(stand, positions, ".dng" if raw else ".jpg")
        if with_truth:
            narrowest = min(stand.truths, key=lambda t: float(np.linalg.det(t.matrix[:, :2]))).matrix
            # In a folder of their own: a merge of the frames must not take them for frames.
            (scratch / "truth").mkdir()
            write_composite(scratch / "truth" / "sharp.tif", stand.sharp_picture(narrowest))
            write_depth(scratch / "truth" / "depth.tif", stand.sharp_depth_um(narrowest), unit="µm")
        write_json(scratch / "truth.json", truth)
    return truth


def _truth(stand: SimulatedStand, positions_um: Sequence[float], suffix: str) -> dict[str, Any]:
    return {
        "frames": [
            {
                "file": f"rung_{rung + 1:04d}{suffix}",
                "position_um": position_um,
                "focus_um": truth.focus_um,
                "frame_to_specimen": truth.matrix.tolist(),
                "gain": truth.gain,
            }
            for rung, (position_um, truth) in enumerate(zip(positions_um, stand.truths, strict=True))
        ]
    }
