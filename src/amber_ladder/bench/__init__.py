"""The bench: what a rail and a camera must do, and simulated ones with honest physics.

Names for real devices live here; ``bench.simulated`` ships stand-ins that behave like them.
"""

from amber_ladder.bench.devices import Camera, Exposure, Rail

__all__ = ["Camera", "Exposure", "Rail"]
