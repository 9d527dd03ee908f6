"""``python -m amber_ladder.jobs``: the worker's process."""

import asyncio
import sys

from amber_ladder import logs
from amber_ladder.jobs.worker import main
from amber_ladder.processes import yield_to_others
from amber_ladder.settings import settings

if __name__ == "__main__":
    yield_to_others()
    logs.begin("worker", settings().data)
    sys.exit(asyncio.run(main()))
