"""The one interface between a merge and where its frames come from."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any, Protocol, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

T = TypeVar("T")

_LARGE_BYTES = 150_000_000
Progress = Callable[[str, int, int], None]
"""Called with a phase's name, steps done and steps in all. It stops the work by raising."""


def no_progress(phase: str, done: int, total: int) -> None:
    """For callers who do not watch."""


class FrameSource(Protocol):
    """Frames in shooting order, all of one size and type. Loading must be safe from several threads."""

    @property
    def names(self) -> tuple[str, ...]:
        """The frames' names, in order."""

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width in px, the same for every frame."""

    @property
    def dtype(self) -> np.dtype[Any]:
        """``uint8`` or ``uint16``."""

    def picture(self, index: int) -> NDArray[Any]:
        """RGB, (H, W, 3), in the frames' own type and colour encoding."""

    def grey(self, index: int, factor: int) -> NDArray[np.float32]:
        """Grey, (H / factor, W / factor) rounded up, 0 to 1; ``factor`` is 1, 2, 4 or 8.

        Raises UnreadablePicture for a frame that is damaged.
        """


def is_large(frames: FrameSource) -> bool:
    """Whether frames are so large that memory is worth more than time."""
    return 3 * frames.dtype.itemsize * frames.shape[0] * frames.shape[1] > _LARGE_BYTES


def ahead(load: Callable[[int], T], indices: Iterable[int], *, most: int = 2) -> Iterator[tuple[int, T]]:
    """Load so many items ahead in threads while the caller works on the present one.

    Nothing is kept of what was handed out: a caller that lets go of its item before it asks for the next has at most
    one more in memory; with ``most`` 0 none.
    """
    if most == 0:
        yield from ((index, load(index)) for index in indices)
        return
    with ThreadPoolExecutor(max_workers=most) as pool:
        waiting = deque[tuple[int, Future[T]]]()
        for index in indices:
            waiting.append((index, pool.submit(load, index)))
            if len(waiting) > most:
                yield _loaded(waiting)
        while waiting:
            yield _loaded(waiting)


def _loaded(waiting: deque[tuple[int, Future[T]]]) -> tuple[int, T]:
    at, future = waiting.popleft()
    return at, future.result()


def to_grey(picture: NDArray[Any], factor: int) -> NDArray[np.float32]:
    """Grey 0 to 1 of RGB (H, W, 3) in 8 or 16 bits, averaged over ``factor`` × ``factor`` pixels."""
    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
    if factor > 1:
        height, width = grey.shape
        size = ((width + factor - 1) // factor, (height + factor - 1) // factor)
        grey = cv2.resize(grey, size, interpolation=cv2.INTER_AREA)
    return np.asarray(grey, np.float32) / np.float32(np.iinfo(picture.dtype).max)
