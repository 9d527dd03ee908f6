"""Stacks an hour over the number of workers: what one stack costs is measured, how many share the lines is reckoned."""

from dataclasses import dataclass
from heapq import heappop, heappush


@dataclass(frozen=True, slots=True)
class Cost:
    """Of one stack: seconds to merge on one machine, MB of its originals and of its results."""

    merge_s: float
    originals_mb: float
    results_mb: float


def stacks_an_hour(cost: Cost, workers: int, mb_s: float, stacks: int = 400) -> float:
    """A night's queue, event by event: the station's own worker, and ``workers`` - 1 elsewhere.

    The station's line to the shared store carries one thing at a time, in the order in which it is asked for: originals
    to it, as many stacks ahead as there are workers, and results from it. Each worker elsewhere has a line as fast of
    its own, and does not merge while it fetches or hands over.
    """
    line_free_s, ended_s, taken = 0.0, 0.0, 0
    brought_s: list[float] = []
    events = [(0.0, worker, False) for worker in range(workers)]  # when, who, whether it hands something over

    def carried(megabytes: float, now_s: float) -> float:
        nonlocal line_free_s
        line_free_s = max(line_free_s, now_s) + megabytes / mb_s
        return line_free_s

    while events:
        now_s, worker, hands_over = heappop(events)
        if hands_over:
            ended_s = max(ended_s, now_s if worker == 0 else carried(cost.results_mb, now_s))
        if taken == stacks:
            continue
        while workers > 1 and len(brought_s) < min(taken + workers, stacks):
            brought_s.append(carried(cost.originals_mb, now_s))
        ends_s = now_s
        if worker > 0:
            ends_s = max(now_s, brought_s[taken]) + (cost.originals_mb + cost.results_mb) / mb_s
        heappush(events, (ends_s + cost.merge_s, worker, True))
        taken += 1
    return 3600.0 * stacks / ended_s


def table(cost: Cost) -> list[str]:
    """Lines for 1 to 16 workers over usual lines, each beside one worker alone."""
    alone = stacks_an_hour(cost, 1, 1.0)
    lines = [f"one worker alone: {alone:.0f} stacks an hour"]
    for name, mb_s in (("100 Mbit/s", 11.0), ("1 Gbit/s", 110.0), ("10 Gbit/s", 1100.0)):
        ratios = ", ".join(f"{n}: {stacks_an_hour(cost, n, mb_s) / alone:.1f}" for n in (2, 4, 8, 16))
        lines.append(f"over {name}, times as many by so many workers: {ratios}")
    return lines
