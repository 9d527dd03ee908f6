"""The order of a day: how long it takes to find, how good it is against all orders, and against what was typed in."""

import random
import time
from itertools import permutations
from statistics import median

from amber_ladder.core.day import Hours, Sitting, cost_s, times_of
from amber_ladder.core.day.order import best_order

_DAYS, _SPECIMENS, _FEW = 9, 20, 7
_RIGS = ("5×", "10×", "macro", "bellows")
_HOURS = Hours(0, 10 * 3600, ((3 * 3600, 3 * 3600 + 2700), (6 * 3600, 6 * 3600 + 900)), 900, _RIGS[0])


def main() -> None:
    """Print the table."""
    days = [_made(_SPECIMENS, seed) for seed in range(_DAYS)]
    best_order(days[0], _HOURS)
    floor_ms, found_ms = [], []
    typed, ordered, left_out = 0, 0, 0
    for sittings in days:
        begun = time.perf_counter()
        as_typed = times_of(sittings, _HOURS)
        floor_ms.append(1e3 * (time.perf_counter() - begun))
        begun = time.perf_counter()
        found = best_order(sittings, _HOURS)
        found_ms.append(1e3 * (time.perf_counter() - begun))
        chosen = [one for key in found.keys for one in sittings if one.key == key]
        typed, ordered = typed + as_typed.changes, ordered + times_of(chosen, _HOURS).changes
        left_out += len(found.left_out)
    floor, taken = median(floor_ms), median(found_ms)
    print(f"floor: the times of a day in one order: {floor:.2f} ms")
    print(f"the best order of {_SPECIMENS} specimens: {taken / floor:.0f} × the floor ({taken / 1e3:.2f} s, at most "
          f"{max(found_ms) / 1e3:.2f} s; to hold: 2 s)")  # fmt: skip
    print(f"changes of rig over {_DAYS} days: {typed} as typed in, {ordered} in the best order; {left_out} of "
          f"{_DAYS * _SPECIMENS} do not fit and are said in the morning")  # fmt: skip
    worse = [_against_all(_made(_FEW, seed)) for seed in range(100, 100 + _DAYS)]
    same = sum(one < 1e-9 for one in worse)
    print(
        f"against all orders of {_FEW}: as good as the best in {same} of {_DAYS} days, {max(worse):.1%} worse at most"
    )


def _against_all(sittings: list[Sitting]) -> float:
    """By which share the found order costs more than the best of all, changes and waiting together."""
    fitting = [one for one in permutations(sittings) if not (times := times_of(one, _HOURS)).late and not times.over]
    found = best_order(sittings, _HOURS)
    if not fitting:  # what is left out then is the solver's choice: nothing to compare it with
        return 0.0
    best = min(cost_s(one, _HOURS) for one in fitting)
    chosen = [one for key in found.keys for one in sittings if one.key == key]
    return cost_s(chosen, _HOURS) / best - 1.0 if best else 0.0


def _made(count: int, seed: int) -> list[Sitting]:
    draw = random.Random(seed)
    return [
        Sitting(
            key, draw.choice(_RIGS), draw.randrange(120, 600), draw.randrange(120, 1500), by_hand=draw.random() < 0.2,
            by_s=draw.randrange(3600, 6 * 3600) if draw.random() < 0.2 else None, merge_s=200,
        )
        for key in range(count)
    ]  # fmt: skip
