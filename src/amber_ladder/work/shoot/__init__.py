"""Shoot: the station's one bench, runs over ladders, bursts by hand, and a person's own frames."""

from functools import cache

from amber_ladder.store import tasks
from amber_ladder.work.long_work import LongWork
from amber_ladder.work.shoot.bench import Bench
from amber_ladder.work.shoot.claim import ClaimEntry
from amber_ladder.work.shoot.live import LiveFrame
from amber_ladder.work.shoot.orders import (
    BenchChange,
    BenchSettings,
    BurstEntry,
    FlashEntry,
    MoveEntry,
    RunEntry,
    TurnOrder,
)
from amber_ladder.work.shoot.own_frames import add_file, begin_files, finish_take
from amber_ladder.work.shoot.views import BenchView, HoldView, PreflightItem


@cache
def station_bench() -> Bench:
    """This process's bench."""
    return Bench()


RUNNING = LongWork(
    tasks.RUN, {"shoot": (0.0, 1.0)}, by_worker=None, stop=lambda task_id: station_bench().stop_task(task_id)
)
"""Runs and bursts: the server's own process does them, with its bench."""


__all__ = [
    "RUNNING",
    "Bench",
    "BenchChange",
    "BenchSettings",
    "BenchView",
    "BurstEntry",
    "ClaimEntry",
    "FlashEntry",
    "HoldView",
    "LiveFrame",
    "MoveEntry",
    "PreflightItem",
    "RunEntry",
    "TurnOrder",
    "add_file",
    "begin_files",
    "finish_take",
    "station_bench",
]
