"""Bringing frames into one coordinate system: shift, turn, scale, and brightness."""

from amber_ladder.core.registration._blur_aware import Fit, Relief, Side, fit_pair
from amber_ladder.core.registration._graph import Link, solve_graph
from amber_ladder.core.registration._pair import Levelled, Pair, register_pair
from amber_ladder.core.registration._similarity import (
    IDENTITY,
    Matrix,
    compose,
    inverse,
    inverse_scaled,
    rescaled,
    scale_of,
    shared_rectangle,
)
from amber_ladder.core.registration._warp import along_run, one_pixel, steady_run, warp, warped_picture
from amber_ladder.core.registration._wide import wide_blur
from amber_ladder.core.registration._window import window_of

__all__ = [
    "IDENTITY",
    "Fit",
    "Levelled",
    "Link",
    "Matrix",
    "Pair",
    "Relief",
    "Side",
    "along_run",
    "compose",
    "fit_pair",
    "inverse",
    "inverse_scaled",
    "one_pixel",
    "register_pair",
    "rescaled",
    "scale_of",
    "shared_rectangle",
    "solve_graph",
    "steady_run",
    "warp",
    "warped_picture",
    "wide_blur",
    "window_of",
]
