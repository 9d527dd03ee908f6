"""The bench: devices, live view, ends, light, runs. One for a station, held by the server's process."""

from functools import cache

from amber_ladder.work.bench.live import LiveFrame
from amber_ladder.work.bench.session import Bench
from amber_ladder.work.bench.views import (
    BenchChange,
    BenchSettings,
    BenchView,
    BurstEntry,
    FlashEntry,
    MoveEntry,
    PreflightItem,
    RunEntry,
)


@cache
def bench() -> Bench:
    """This process's bench."""
    return Bench()


__all__ = [
    "Bench",
    "BenchChange",
    "BenchSettings",
    "BenchView",
    "BurstEntry",
    "FlashEntry",
    "LiveFrame",
    "MoveEntry",
    "PreflightItem",
    "RunEntry",
    "bench",
]
