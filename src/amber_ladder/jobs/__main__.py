"""``python -m amber_ladder.jobs``: the worker's process."""

import asyncio
import logging
import sys

from amber_ladder.jobs.worker import main

if __name__ == "__main__":
    logging.basicConfig(level=logging.INFO, format="worker: %(message)s", stream=sys.stderr)
    for chatty in ("procrastinate", "pyvips"):
        logging.getLogger(chatty).setLevel(logging.WARNING)
    sys.exit(asyncio.run(main()))
