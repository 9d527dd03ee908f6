"""``python -m amber_ladder.jobs``: the station's worker; with a name and how many GB to keep, one elsewhere."""

import asyncio
import sys

from amber_ladder import logs
from amber_ladder.jobs.worker import main
from amber_ladder.processes import yield_to_others
from amber_ladder.settings import settings

if __name__ == "__main__":
    yield_to_others()
    logs.begin("worker", settings().data)
    if len(sys.argv) > 1:
        sys.exit(asyncio.run(main(sys.argv[1], int(1e9 * float(sys.argv[2])))))
    sys.exit(asyncio.run(main()))
