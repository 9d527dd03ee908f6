"""What every simulated specimen says of itself."""

from collections.abc import Callable
from dataclasses import dataclass

from amber_ladder.simulated.scene import Grid, Scene


@dataclass(frozen=True, slots=True)
class SimulatedSpecimen:
    """A seeded specimen. ``width_um`` is the field it fills, ``depth_um`` from its nearest to its farthest point."""

    key: str
    name: str
    kind: str
    width_um: float
    depth_um: float
    build: Callable[[Grid, int], Scene]
