"""A stack of frames as the algorithms see it: loaded one at a time, never all at once."""

from amber_ladder.core.frames._source import FrameSource, Progress, ahead, is_large, no_progress, to_grey

__all__ = ["FrameSource", "Progress", "ahead", "is_large", "no_progress", "to_grey"]
