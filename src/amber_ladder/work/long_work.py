"""What a stage declares of the long work it does: its kind, its phases, who does it and how it is stopped."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from amber_ladder.core.frames import Progress
from amber_ladder.store.database import Session

Finish = Callable[[Session], None]
"""Notes what was made, in the transaction that ends the task: both are told, or neither."""


@dataclass(frozen=True, slots=True)
class LongWork:
    """``phases`` gives for each where in the whole it begins and how much of it it is, 0 to 1.

    ``by_worker`` is given the task and does it. Work that the bench does itself has none; then ``stop`` stops it, for
    it does not ask whether it should. ``elsewhere`` does it on another machine, at this attempt, and returns what is
    handed over to the station; only merges can be done there.
    """

    kind: str
    phases: Mapping[str, tuple[float, float]]
    by_worker: Callable[[int, Progress], Finish | None] | None = None
    elsewhere: Callable[[int, int, Progress], dict[str, Any]] | None = None
    stop: Callable[[int], None] | None = None
