"""The picture that grows while a ladder is shot."""

from amber_ladder.core.growing._picture import GrowingPicture, Growth

__all__ = ["GrowingPicture", "Growth"]
