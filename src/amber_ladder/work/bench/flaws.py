"""The faults that can be switched on for practice, as the page lists them."""

from dataclasses import dataclass

from amber_ladder.bench.simulated import FLAWS


@dataclass(frozen=True, slots=True)
class FlawView:
    """A fault of the simulated bench."""

    key: str
    name: str


def flaws() -> list[FlawView]:
    """All of them."""
    return [FlawView(flaw.key, flaw.name) for flaw in FLAWS.values()]
