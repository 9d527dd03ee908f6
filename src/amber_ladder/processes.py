"""What the station's processes have in common."""

import ctypes
import os
import signal
from collections.abc import Callable

_PR_SET_PDEATHSIG = 1  # linux/prctl.h
_NICE = 10  # a ninth of the share of one who is not


def dies_with_parent(by: signal.Signals) -> Callable[[], None]:
    """For a child to call before it begins: a parent that is killed cannot stop it, so the kernel does."""

    def ask_kernel() -> None:
        ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, by)

    return ask_kernel


def yield_to_others(thread_id: int = 0) -> None:
    """Let a thread, or all of this process, compute with what others leave: the bench must never wait for a merge.

    What it starts later does so too.
    """
    os.setpriority(os.PRIO_PROCESS, thread_id, _NICE)
