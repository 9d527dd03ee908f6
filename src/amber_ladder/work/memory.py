"""Memory that is free goes back to the system."""

import ctypes


def give_back() -> None:
    """Hand over what was freed in small pieces and kept for later; nothing where the C library cannot."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim:
        trim(0)
