"""Order a day: fewest changes of rig, and what vanishes in time."""

from functools import lru_cache
from itertools import permutations

import numpy as np

from amber_ladder.core.day import Hours, Sitting, cost_s, times_of
from amber_ladder.core.practice import Figure, Verdict, closeness, overall
from amber_ladder.work.practice.exercises._kinds import Answer, Asked, Drawn, Exercise, Question, several

_COUNT = {1: 5, 2: 6, 3: 7}
_RIGS = ("5× objective", "10× objective", "macro lens")
_NAMES = ("moss capsule", "jewel wasp", "garnet", "capped column", "sundew", "springtail", "fern sporangia")
_VANISHING = ("capped column", "sundew")
_CHANGE_S = 900
_FROM_S = 9 * 3600


@lru_cache(maxsize=64)
def sittings_of(level: int, seed: int) -> tuple[tuple[Sitting, ...], Hours]:
    """What is to be shot, as somebody wrote it down, and within which hours; one order at least does it all in time."""
    draw = np.random.default_rng([seed, 8])
    names = [_NAMES[one] for one in draw.permutation(len(_NAMES))[: _COUNT[level]]]
    if not set(names) & set(_VANISHING):
        names[0] = _VANISHING[0]
    hours = Hours(_FROM_S, 18 * 3600, ((12 * 3600, 12 * 3600 + 2700),), _CHANGE_S, _RIGS[0])
    plain = [
        Sitting(key, str(draw.choice(_RIGS)), 60 * int(draw.integers(5, 15)), 60 * int(draw.integers(10, 40)))
        for key in range(len(names))
    ]
    by_rig = sorted(plain, key=lambda one: (one.rig != hours.rig, one.rig, one.key))
    ends = {one.key: one.ends_s for one in times_of(by_rig, hours).sittings}
    timed = [
        Sitting(
            one.key, one.rig, one.set_up_s, one.shoot_s,
            by_s=ends[one.key] + 60 * int(draw.integers(5, 90)) if names[one.key] in _VANISHING else None,
        )
        for one in plain
    ]  # fmt: skip
    return tuple(timed), hours


def names_of(level: int, seed: int) -> list[str]:
    """What they are called, in the order in which they were written down."""
    draw = np.random.default_rng([seed, 8])
    names = [_NAMES[one] for one in draw.permutation(len(_NAMES))[: _COUNT[level]]]
    if not set(names) & set(_VANISHING):
        names[0] = _VANISHING[0]
    return names


def _ask(drawn: Drawn) -> Question:
    sittings, hours = sittings_of(drawn.level, drawn.seed)
    options = [
        f"{name}: {one.rig}, {(one.set_up_s + one.shoot_s) // 60} min"
        + (f", before {_clock(one.by_s)}" if one.by_s else "")
        for name, one in zip(names_of(drawn.level, drawn.seed), sittings, strict=True)
    ]
    return Question(
        "Put the day into an order: as few changes of rig as can be, and what vanishes in time and soon. On the bench "
        f"stands the {hours.rig}; a change takes {hours.change_s // 60} min.",
        [("From", f"{_clock(hours.from_s)}"), ("Break", "12:00 to 12:45")],
        [Asked("order", "order", "Shoot in this order", options=options)],
    )


@lru_cache(maxsize=64)
def _best(level: int, seed: int) -> tuple[int, ...]:
    sittings, hours = sittings_of(level, seed)

    def worth(order: tuple[Sitting, ...]) -> tuple[int, float]:
        return _late_s(order, hours), cost_s(order, hours)

    return tuple(one.key for one in min(permutations(sittings), key=worth))


def _late_s(order: tuple[Sitting, ...] | list[Sitting], hours: Hours) -> int:
    return sum(one.late_s for one in times_of(order, hours).sittings)


def solve(drawn: Drawn) -> Answer:
    """The best of all orders."""
    return {"order": list(_best(drawn.level, drawn.seed))}


def score(drawn: Drawn, order: list[int]) -> float:
    """Against the best of all: what changes and waiting cost, and whether anything comes too late."""
    sittings, hours = sittings_of(drawn.level, drawn.seed)
    mine, best = ([sittings[key] for key in keys] for keys in (order, _best(drawn.level, drawn.seed)))
    over_s = cost_s(mine, hours) - cost_s(best, hours)
    late_s = _late_s(mine, hours) - _late_s(best, hours)
    return overall([closeness(max(over_s, 0.0), fine=120.0, poor=2700.0), closeness(late_s, fine=1.0, poor=3600.0)])


def _judge(drawn: Drawn, answer: Answer) -> Verdict:
    from amber_ladder.core.day.order import best_order  # here: loading OR-Tools takes more than a second

    sittings, hours = sittings_of(drawn.level, drawn.seed)
    order = several(answer, "order", len(sittings))
    order += [one.key for one in sittings if one.key not in order]  # what was not put anywhere comes last
    found = best_order(list(sittings), hours)
    own = [*found.keys, *(one.key for one in sittings if one.key not in found.keys)]
    orders = [[sittings[key] for key in keys] for keys in (order, own, _best(drawn.level, drawn.seed))]
    changes = [float(times_of(one, hours).changes) for one in orders]
    late = [_late_s(one, hours) / 60.0 for one in orders]
    names = names_of(drawn.level, drawn.seed)
    why = [f"Best: {', '.join(names[key] for key in _best(drawn.level, drawn.seed))}."]
    too_late = [names[one.key] for one in times_of(orders[0], hours).sittings if one.late_s]
    why.append(f"{', '.join(too_late)} would be gone." if too_late else "Nothing would be gone before its time.")
    why.append(f"Each change costs {hours.change_s // 60} min in which nothing is shot.")
    return Verdict(
        score(drawn, order),
        (Figure("Changes of rig", "", *changes), Figure("Too late", "min", *late)),
        tuple(why),
    )


def _clock(at_s: int) -> str:
    return f"{at_s // 3600}:{at_s % 3600 // 60:02d}"


DAY = Exercise(
    "day", "Order a day", "the day", "In which order is a day's work done with few changes, and nothing gone?", 2,
    _ask, _judge, None, None, solve,
)  # fmt: skip
