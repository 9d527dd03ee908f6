"""What the station's processes have in common."""

import ctypes
import signal
from collections.abc import Callable

_PR_SET_PDEATHSIG = 1  # linux/prctl.h


def dies_with_parent(by: signal.Signals) -> Callable[[], None]:
    """For a child to call before it begins: a parent that is killed cannot stop it, so the kernel does."""

    def ask_kernel() -> None:
        ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, by)

    return ask_kernel
