"""The simulated specimens: seeded shapes with real depth, at any resolution."""

from amber_ladder.errors import BadInput
from amber_ladder.simulated.specimens import (
    crystals,
    fern,
    graupel,
    insect,
    mineral,
    moss,
    resin,
    snow,
    springtail,
    sundew,
    targets,
    wasp,
)
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens.targets import RAMP_SLOPE_DEG, RULING_UM

SPECIMENS: dict[str, SimulatedSpecimen] = {
    specimen.key: specimen
    for specimen in (
        moss.CAPSULE_MOUTH,
        insect.LACEWING_EYE,
        mineral.WULFENITE,
        snow.CAPPED_COLUMN,
        fern.SPORANGIA,
        wasp.JEWEL_WASP,
        springtail.SPRINGTAIL,
        sundew.SUNDEW,
        crystals.GARNET,
        crystals.FLUORITE,
        graupel.GRAUPEL,
        resin.GNAT,
        targets.RULED_SLIDE,
        targets.FOCUS_RAMP,
    )
}


def specimen_for(key: str) -> SimulatedSpecimen:
    """The simulated specimen of this name. Raises BadInput for a name that does not exist."""
    try:
        return SPECIMENS[key]
    except KeyError:
        raise BadInput(
            f"no simulated specimen is called {key!r}: choose one of {', '.join(SPECIMENS)}", field="specimen"
        ) from None


__all__ = ["RAMP_SLOPE_DEG", "RULING_UM", "SPECIMENS", "SimulatedSpecimen", "specimen_for"]
