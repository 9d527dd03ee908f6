"""A simulated bench: seeded specimens, seen through the planned rig by scalar wave optics.

What is modelled: diffraction and defocus of a circular pupil in three wavelengths, nearer parts covering
farther ones, magnification that changes with focus, slow drift and turning, flicker of the light, photon and
read noise, JPEG. What is not: aberrations of the lens, coherent light, glare inside the tube.
"""

from amber_ladder.bench.simulated.bench import FrameTruth, SimulatedBench, Wobble
from amber_ladder.bench.simulated.scene import Grid, Scene, Sheet
from amber_ladder.bench.simulated.specimens import RAMP_SLOPE_DEG, RULING_UM, SPECIMENS, SimulatedSpecimen, specimen_for

__all__ = [
    "RAMP_SLOPE_DEG",
    "RULING_UM",
    "SPECIMENS",
    "FrameTruth",
    "Grid",
    "Scene",
    "Sheet",
    "SimulatedBench",
    "SimulatedSpecimen",
    "Wobble",
    "specimen_for",
]
