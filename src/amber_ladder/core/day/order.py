"""The best order of a day, by constraint programming (OR-Tools' CP-SAT).

Sittings are the nodes of a circuit that begins and ends at the rig that stands on the bench; arcs between different
rigs cost a change. What cannot be done before its last moment, or before the evening, is left out, as little as
possible of it, and what vanishes last of all.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ortools.sat.python import cp_model

from amber_ladder.core.day._times import WAITS_AT, Hours, Sitting, cost_s, times_of

_SCALE = 1000  # the objective is in milliseconds
_EARLY = 1  # of which one for every second by which anything could be done sooner: it decides between equals only
_WORK = 0.15  # the solver's own measure of work, no clock: so the answer is always the same


@dataclass(frozen=True, slots=True)
class Order:
    """Keys in the order to be shot, keys that do not fit, and whether no better order of the first is possible."""

    keys: tuple[int, ...]
    left_out: tuple[int, ...]
    proven: bool


def best_order(sittings: Sequence[Sitting], hours: Hours, *, work: float = _WORK) -> Order:
    """The order with the fewest changes of rig and the least waiting of what vanishes, within the day.

    Source: the travelling salesman with time windows, as a circuit of optional nodes (OR-Tools, *CP-SAT*, routing).
    """
    if not sittings:
        return Order((), (), proven=True)
    built = _Model(sittings, hours)
    built.hint(_good_order(sittings, hours))
    solver = cp_model.CpSolver()
    solver.parameters.max_deterministic_time = work
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = 1
    status = solver.solve(built.model)
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        # Leaving everything out is always possible, so this is a fault of ours.
        raise AssertionError(f"no order of the day: {solver.status_name(status)}")
    done = sorted(
        (place for place in range(len(sittings)) if solver.value(built.done[place])),
        key=lambda place: solver.value(built.begins[place]),
    )
    chosen = [sittings[place] for place in done]
    others = [one for place, one in enumerate(sittings) if place not in set(done)]
    keys = tuple(one.key for one in chosen)
    return Order(keys, tuple(_afterwards(chosen, others, hours)), status == cp_model.OPTIMAL)


class _Model:
    """Sittings as optional nodes 1 … n of a circuit; node 0 is the bench as it stands."""

    def __init__(self, sittings: Sequence[Sitting], hours: Hours) -> None:
        self.model = model = cp_model.CpModel()
        self._sittings, self._hours = sittings, hours
        last = hours.until_s
        self.done = [model.new_bool_var("") for _ in sittings]
        self.begins = [model.new_int_var(hours.from_s, last, "") for _ in sittings]
        self._ends = [model.new_int_var(hours.from_s, last, "") for _ in sittings]
        self._changes = [model.new_bool_var("") for _ in sittings]
        self._arcs = self._circuit()
        self._hold_times()
        model.minimize(self._cost())

    def hint(self, order: Sequence[int]) -> None:
        """Begin the search at an order of places; what does not stand in it is left out."""
        taken = set(zip((-1, *order), (*order, -1), strict=True))
        for pair, literal in self._arcs.items():
            self.model.add_hint(literal, pair in taken)
        times = times_of([self._sittings[place] for place in order], self._hours)
        for place, timed in zip(order, times.sittings, strict=True):
            self.model.add_hint(self.begins[place], timed.begins_s)
        for place, literal in enumerate(self.done):
            self.model.add_hint(literal, place in set(order))

    def _circuit(self) -> dict[tuple[int, int], cp_model.IntVar]:
        """Arcs between places, -1 for the bench: at the beginning, and where the day is over."""
        model, count = self.model, len(self._sittings)
        arcs: dict[tuple[int, int], cp_model.IntVar] = {}
        listed: list[tuple[int, int, cp_model.LiteralT]] = []
        for before in range(-1, count):
            for after in range(-1, count):
                if before == after:
                    continue
                literal = arcs[before, after] = model.new_bool_var("")
                listed.append((before + 1, after + 1, literal))
        listed += [(place + 1, place + 1, ~done) for place, done in enumerate(self.done)]
        nothing = model.new_bool_var("")
        listed.append((0, 0, nothing))
        for done in self.done:
            model.add_implication(nothing, ~done)
        model.add_circuit(listed)
        return arcs

    def _hold_times(self) -> None:
        model, hours = self.model, self._hours
        breaks = [model.new_fixed_size_interval_var(first, last - first, "") for first, last in hours.breaks]
        for place, one in enumerate(self._sittings):
            done, begins, ends, changes = self.done[place], self.begins[place], self._ends[place], self._changes[place]
            model.add(ends == begins + one.set_up_s + one.shoot_s + hours.change_s * changes).only_enforce_if(done)
            if one.by_s is not None:
                if one.by_s < hours.from_s:
                    model.add(done == 0)
                else:
                    model.add(ends <= one.by_s).only_enforce_if(done)
            if breaks:
                until = model.new_int_var(0, hours.until_s + hours.change_s + one.hands_s, "")
                length = model.new_int_var(one.hands_s, one.hands_s + hours.change_s, "")
                model.add(length == one.hands_s + hours.change_s * changes)
                hands = model.new_optional_interval_var(begins, length, until, done, "")
                model.add_no_overlap([hands, *breaks])
        for (before, after), literal in self._arcs.items():
            if after < 0:
                continue
            rig = hours.rig if before < 0 else self._sittings[before].rig
            changed = rig is not None and rig != self._sittings[after].rig
            model.add(self._changes[after] == int(changed)).only_enforce_if(literal)
            if before >= 0:
                model.add(self.begins[after] >= self._ends[before]).only_enforce_if(literal)

    def _cost(self) -> cp_model.LinearExprT:
        hours = self._hours
        span = max(1, hours.until_s - hours.from_s)
        waits = round(WAITS_AT * _SCALE)
        # Leaving one out costs more than anything that an order of all could.
        every = _SCALE * hours.change_s * len(self._sittings) + (waits + _EARLY) * span * len(self._sittings) + 1
        terms: list[cp_model.LinearExprT] = []
        for place, one in enumerate(self._sittings):
            weight = _EARLY + (waits if one.by_s is not None else 0)
            lost = every * (len(self._sittings) + 1 if one.by_s is not None else 1)
            waited = self.model.new_int_var(0, span, "")
            self.model.add(waited >= self._ends[place] - hours.from_s).only_enforce_if(self.done[place])
            terms += [weight * waited, _SCALE * hours.change_s * self._changes[place], lost * (1 - self.done[place])]
        return sum(terms)


def _afterwards(chosen: Sequence[Sitting], others: Sequence[Sitting], hours: Hours) -> list[int]:
    """What does not fit, in a good order for all that: as if the day went on, and nothing vanished any more."""
    rig = chosen[-1].rig if chosen else hours.rig
    from_s = times_of(chosen, hours).ends_s
    long_enough = from_s + sum(one.set_up_s + one.shoot_s + hours.change_s for one in others)
    later = Hours(from_s, long_enough, (), hours.change_s, rig)
    keeping = [replace(one, by_s=None) for one in others]
    return [keeping[place].key for place in _good_order(keeping, later)]


def _good_order(sittings: Sequence[Sitting], hours: Hours) -> list[int]:
    """A good order to begin from: put in one by one where each costs least, then moved about while that helps.

    Source: cheapest insertion and relocation (Or, 1976), usual for routes with time windows.
    """
    places = range(len(sittings))
    urgent_first = sorted(places, key=lambda place: (sittings[place].by_s is None, sittings[place].by_s or 0, place))
    order: list[int] = []
    for place in urgent_first:
        order = _put_in(place, order, sittings, hours)
    best = _worth(order, sittings, hours)
    while True:
        for place in places:
            without = [one for one in order if one != place]
            moved = _put_in(place, without, sittings, hours)
            worth = _worth(moved, sittings, hours)
            if worth < best:
                order, best = moved, worth
                break
        else:
            return order


def _put_in(place: int, order: list[int], sittings: Sequence[Sitting], hours: Hours) -> list[int]:
    """The best of all orders with one more, or the order as it is where it fits nowhere."""
    tried = [[*order[:at], place, *order[at:]] for at in range(len(order) + 1)]
    fitting = [one for one in tried if _fits(one, sittings, hours)]
    return min(fitting, key=lambda one: _worth(one, sittings, hours), default=order)


def _fits(order: list[int], sittings: Sequence[Sitting], hours: Hours) -> bool:
    times = times_of([sittings[place] for place in order], hours)
    return not times.late and not times.over


def _worth(order: list[int], sittings: Sequence[Sitting], hours: Hours) -> tuple[int, int, float]:
    """Less is better: first what vanishes that is left out, then whatever else is, then what the order costs."""
    taken = set(order)
    out = [one.by_s is not None for place, one in enumerate(sittings) if place not in taken]
    chosen = [sittings[place] for place in order]
    ends = sum(one.ends_s - hours.from_s for one in times_of(chosen, hours).sittings)
    return sum(out), len(out), cost_s(chosen, hours) + ends * _EARLY / _SCALE
