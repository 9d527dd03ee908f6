"""``python -m amber_ladder.jobs``: the worker's process."""

import asyncio
import sys

from amber_ladder import logs
from amber_ladder.jobs.worker import main
from amber_ladder.settings import settings

if __name__ == "__main__":
    logs.begin("worker", settings().data)
    sys.exit(asyncio.run(main()))
