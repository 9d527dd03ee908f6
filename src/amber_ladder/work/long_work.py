"""What a stage declares of the long work it does: its kind, its phases, who does it and how it is stopped."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from amber_ladder.core.frames import Progress


@dataclass(frozen=True, slots=True)
class LongWork:
    """``phases`` gives for each where in the whole it begins and how much of it it is, 0 to 1.

    ``by_worker`` is given the task and does it. Work that the bench does itself has none; then ``stop`` stops it, for
    it does not ask whether it should.
    """

    kind: str
    phases: Mapping[str, tuple[float, float]]
    by_worker: Callable[[int, Progress], None] | None = None
    stop: Callable[[int], None] | None = None
