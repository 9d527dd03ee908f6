"""A simulated camera over a simulated rail. Its pictures are made in a process of their own."""

from amber_ladder.simulated.camera._camera import SimulatedCamera
from amber_ladder.simulated.camera.body import CameraSetup

__all__ = ["CameraSetup", "SimulatedCamera"]
