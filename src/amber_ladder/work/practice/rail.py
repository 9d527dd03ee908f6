"""The simulated rail, for those who practise without a bench."""

import asyncio

from amber_ladder.simulated.rail.mechanics import Build
from amber_ladder.simulated.rail.server import RailServer

USUAL = Build()


def serve_rail(
    port: int, *, click_um: float, travel_mm: float, backlash_um: float, shake_um: float, stage: bool = False
) -> None:
    """Serve a rail of this build on loopback until interrupted, with a stage of two more axes where it is asked for.

    Raises BadInput when the port is taken.
    """
    build = Build(click_um=click_um, max_um=travel_mm * 1e3, backlash_um=backlash_um, shake_um=shake_um)
    asyncio.run(RailServer(build, stage=stage).serve(port))
