"""Files and folders that are on the disk, not only on the way to it."""

import os
from pathlib import Path


def flush(*paths: Path) -> None:
    """Wait until files are written out, or of folders the names in them."""
    for path in paths:
        handle = os.open(path, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
