"""Shooting a ladder on a bench, rung by rung: shared by the command line and the worker."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from amber_ladder.bench.devices import Exposure
from amber_ladder.bench.simulated import SimulatedBench, Wobble, chosen_flaws, specimen_for
from amber_ladder.core.frames import Progress
from amber_ladder.core.optics import resolve
from amber_ladder.errors import BadInput
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.plan_json import PlanJson
from amber_ladder.formats.results import write_composite, write_depth, write_json


def climb(
    bench: SimulatedBench,
    positions_um: Sequence[float],
    keep: Callable[[int, Exposure], None],
    progress: Progress,
) -> None:
    """Shoot all rungs from the first to the last, handing each frame over as soon as it is exposed."""
    for rung, position_um in enumerate(positions_um):
        progress("shoot", rung, len(positions_um))
        bench.move_to(position_um)
        keep(rung, bench.expose())
    progress("shoot", len(positions_um), len(positions_um))


def simulated_bench(plan: PlanJson, specimen: str, *, seed: int, flaws: Sequence[str] = ()) -> SimulatedBench:
    """The simulated bench with this specimen under the planned rig. Raises BadInput for unknown names."""
    chosen = chosen_flaws(tuple(flaws))
    for flaw in chosen:
        if flaw.at_the_bench:
            raise BadInput(f"the flaw {flaw.key!r} shows in a run at the bench only: choose another", field="flaw")
    wobble = {key: value for flaw in chosen for key, value in flaw.wobble.items()}
    rig = plan.rig.to_core()
    return SimulatedBench(
        specimen_for(specimen),
        resolve(rig),
        rig.sensor,
        near_um=plan.near_um,
        seed=seed,
        wobble=Wobble(**wobble),  # type: ignore[arg-type]  # the flaws name its fields
        restless=frozenset(flaw.specimen for flaw in chosen if flaw.specimen),
        timing=plan.timing.to_core(),
    )


def render(
    specimen: str,
    plan: PlanJson,
    out: Path,
    progress: Progress,
    *,
    seed: int = 0,
    flaws: Sequence[str] = (),
    with_truth: bool = False,
) -> dict[str, Any]:
    """Shoot a simulated specimen into a new folder: frames, truth.json, and with truth the sharp picture and depth.

    Sharp picture and depth lie in the coordinates of the frame with the narrowest view. Raises BadInput, StorageFull.
    """
    if out.exists() and any(out.iterdir() if out.is_dir() else [out]):
        raise BadInput(f"{out} is not empty: name a new folder", field="out")
    ladder = plan.ladder()
    bench = simulated_bench(plan, specimen, seed=seed, flaws=flaws)
    if out.is_dir():
        out.rmdir()
    with folder_in_one_piece(out) as scratch:

        def keep(rung: int, exposure: Exposure) -> None:
            (scratch / _name(rung, exposure)).write_bytes(exposure.content)

        climb(bench, ladder.positions_um, keep, progress)
        truth = _truth(bench, ladder.positions_um)
        if with_truth:
            narrowest = min(bench.truths, key=lambda t: float(np.linalg.det(t.matrix[:, :2]))).matrix
            # In a folder of their own: a merge of the frames must not take them for frames.
            (scratch / "truth").mkdir()
            write_composite(scratch / "truth" / "sharp.tif", bench.sharp_picture(narrowest))
            write_depth(scratch / "truth" / "depth.tif", bench.sharp_depth_um(narrowest), unit="µm")
        write_json(scratch / "truth.json", truth)
    return truth


def _name(rung: int, exposure: Exposure) -> str:
    return f"rung_{rung + 1:04d}{exposure.suffix}"


def _truth(bench: SimulatedBench, positions_um: Sequence[float]) -> dict[str, Any]:
    return {
        "frames": [
            {
                "file": f"rung_{rung + 1:04d}.jpg",
                "position_um": position_um,
                "focus_um": truth.focus_um,
                "frame_to_specimen": truth.matrix.tolist(),
                "gain": truth.gain,
            }
            for rung, (position_um, truth) in enumerate(zip(positions_um, bench.truths, strict=True))
        ]
    }
