"""Pairs of frames that the one after next contradicts: they are less sure than they say."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration import Link, compose

_USUALLY = 1.2  # what nine in ten of sixty frames stay below: misfits against what is said of both ways
_CONTRADICTED = 3.0  # times what is said, beyond which one of the pairs is wrong rather than unsure


def doubted(neighbours: Sequence[Link], over_two: Sequence[Link], shape: tuple[int, int]) -> list[Link]:
    """Neighbours' links, as unsure as the direct way from each frame to the one after next shows them to be.

    All of them alike where many misfit by more than they say; a single one as far as both direct ways across it
    contradict it. ``shape`` is the height and width of the pictures that were registered.
    """
    beside = {link.first: link for link in neighbours}
    misfit: dict[int, float] = {}
    said: dict[int, float] = {}
    for link in over_two:
        one, two = beside.get(link.first), beside.get(link.first + 1)
        if one and two:
            misfit[link.first] = _apart_px(compose(one.matrix, two.matrix), link.matrix, shape)
            said[link.first] = float(np.sqrt(np.trace(one.covariance + two.covariance + link.covariance)))
    if not misfit:
        return list(neighbours)
    wider = max(1.0, float(np.quantile([misfit[at] / said[at] for at in misfit], 0.9)) / _USUALLY)
    beyond = {at: max(misfit[at] ** 2 - (_CONTRADICTED * said[at]) ** 2, 0.0) for at in misfit}
    found = []
    for link in neighbours:
        across = [beyond[at] for at in (link.first - 1, link.first) if at in beyond]
        more = min(across, default=0.0) / 4.0 * np.eye(4)
        found.append(replace(link, covariance=link.covariance * wider**2 + more))
    return found


def _apart_px(one: NDArray[np.float64], two: NDArray[np.float64], shape: tuple[int, int]) -> float:
    """How far two maps are apart at the corners, at most."""
    height, width = shape
    corners = np.array([[0, width, 0, width], [0, 0, height, height], [1, 1, 1, 1]], np.float64)
    return float(np.hypot(*((one - two) @ corners)).max())
