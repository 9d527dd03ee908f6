"""What can be practised with: the simulated specimens, and the faults that can be switched on."""

from dataclasses import dataclass

from amber_ladder.simulated.flaws import FLAWS
from amber_ladder.simulated.specimens import SPECIMENS


@dataclass(frozen=True, slots=True)
class FlawView:
    """A fault of the simulated devices; some show only in real time, ``at_the_bench``."""

    key: str
    name: str
    at_the_bench: bool


@dataclass(frozen=True, slots=True)
class Scene:
    """A simulated specimen."""

    key: str
    name: str
    kind: str
    width_um: float
    depth_um: float


def flaws() -> list[FlawView]:
    """All faults."""
    return [FlawView(flaw.key, flaw.name, flaw.at_the_bench) for flaw in FLAWS.values()]


def scenes() -> list[Scene]:
    """All simulated specimens."""
    return [Scene(one.key, one.name, one.kind, one.width_um, one.depth_um) for one in SPECIMENS.values()]
