"""How far a rail runs aslant to the optical axis, from where the picture goes while it travels."""

import numpy as np
from numpy.typing import NDArray

Double = NDArray[np.float64]

_FEWEST = 8  # frames: of fewer nobody knows how far they were jolted


def rail_tilt(travel_um: Double, aside_um: Double) -> tuple[float, float] | None:
    """The angle between rail and optical axis in degrees, and its standard uncertainty; None where too little tells.

    ``aside_um`` (N, 2) is how far the middle of the picture moved in the specimen until the rail was at ``travel_um``
    (N,), ascending. Jolts add up from frame to frame, so they are told from a tilt by how much steps differ: the
    uncertainty is that of a random walk with such steps.
    """
    if len(travel_um) < _FEWEST or travel_um[-1] <= travel_um[0]:
        return None
    whole = float(travel_um[-1] - travel_um[0])
    slope = (aside_um[-1] - aside_um[0]) / whole
    jolts = np.diff(aside_um, axis=0) - np.diff(travel_um)[:, None] * slope
    spread = float(np.sqrt(np.square(jolts).sum() / (len(jolts) - 1) / 2.0)) * np.sqrt(len(jolts))
    return float(np.degrees(np.arctan(np.hypot(*slope)))), float(np.degrees(spread / whole))
