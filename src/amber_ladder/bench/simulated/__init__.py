"""A simulated bench: seeded specimens, seen through the planned rig by scalar wave optics.

What is modelled: diffraction and defocus of a circular pupil in three wavelengths, nearer parts covering farther ones,
magnification that changes with focus, slow drift and turning, flicker of the light, a flash that recharges, room light,
shaking, photon and read noise, hot pixels, dust, specimens that move, JPEG. What is not: aberrations of the lens,
coherent light, glare inside the tube.
"""

from amber_ladder.bench.simulated.bench import SimulatedBench
from amber_ladder.bench.simulated.camera import SimulatedCamera
from amber_ladder.bench.simulated.flash import SimulatedFlash
from amber_ladder.bench.simulated.flaws import FLAWS, Flaw, chosen_flaws
from amber_ladder.bench.simulated.scene import Grid, Scene, Sheet
from amber_ladder.bench.simulated.specimens import RAMP_SLOPE_DEG, RULING_UM, SPECIMENS, SimulatedSpecimen, specimen_for
from amber_ladder.bench.simulated.wobble import FrameTruth, Wobble

__all__ = [
    "FLAWS",
    "RAMP_SLOPE_DEG",
    "RULING_UM",
    "SPECIMENS",
    "Flaw",
    "FrameTruth",
    "Grid",
    "Scene",
    "Sheet",
    "SimulatedBench",
    "SimulatedCamera",
    "SimulatedFlash",
    "SimulatedSpecimen",
    "Wobble",
    "chosen_flaws",
    "specimen_for",
]
