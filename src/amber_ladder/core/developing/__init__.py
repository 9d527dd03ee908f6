"""One development for all frames of a stack: white balance, exposure and tone, and nothing that acts locally."""

from amber_ladder.core.developing._curves import (
    NEUTRAL,
    Development,
    Multipliers,
    NeutralPlace,
    Tone,
    WhiteBalance,
    apply_curves,
    balanced_on,
    curves,
)
from amber_ladder.core.developing._orientation import as_it_lies, upright

__all__ = [
    "NEUTRAL",
    "Development",
    "Multipliers",
    "NeutralPlace",
    "Tone",
    "WhiteBalance",
    "apply_curves",
    "as_it_lies",
    "balanced_on",
    "curves",
    "upright",
]
