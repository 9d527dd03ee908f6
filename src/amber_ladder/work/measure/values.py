"""What measures come to, reckoned once for as long as nothing changes that they rest on."""

import json
from dataclasses import dataclass
from functools import lru_cache

from amber_ladder.core.measuring import measure_repeated
from amber_ladder.errors import BadInput
from amber_ladder.store.models import Measure
from amber_ladder.work.measure.instruments import Basis, basis_of, opened


@dataclass(frozen=True, slots=True)
class Value:
    """A measure's value and its expanded uncertainty, both None where it is not known."""

    value: float | None
    expanded: float | None


def value_of(measure: Measure) -> Value:
    """What a measure comes to now."""
    picks = json.dumps([[one["points"], one.get("points_b")] for one in measure.picks])
    try:
        return _reckoned(basis_of(measure.merge), measure.kind, picks)
    except BadInput:  # taken when more was known
        return Value(None, None)


@lru_cache(maxsize=20_000)
def _reckoned(basis: Basis, kind: str, picks: str) -> Value:
    told = measure_repeated(opened(basis).instrument, kind, json.loads(picks))
    return Value(told.value, told.expanded)
