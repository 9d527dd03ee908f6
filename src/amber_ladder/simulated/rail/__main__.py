"""``python -m amber_ladder.simulated.rail PORT`` is what a station starts; for people: rail-simulator."""

import asyncio
import sys

from amber_ladder.simulated.rail.server import RailServer

if __name__ == "__main__":
    asyncio.run(RailServer(stage=True).serve(int(sys.argv[1]), say=False))
