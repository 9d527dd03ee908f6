"""Where compiled kernels are kept: apart for each state of the source.

numba notices when the file of a function changes, but not when that of another changes which the function calls: it
would go on with the old one without a word.
"""

import hashlib
import os
import shutil
from functools import cache
from pathlib import Path

_PACKAGE = Path(__file__).parent
_NAME = "code-"
_KEPT = 3  # an earlier version may still be running
_VARIABLE = "NUMBA_CACHE_DIR"


@cache
def source_sha256() -> str:
    """A checksum of all that computes: it is another one for every version, and while one is being worked on."""
    sources = sorted(path for part in ("core", "simulated") for path in (_PACKAGE / part).rglob("*.py"))
    return hashlib.sha256(b"".join(path.read_bytes() for path in sources)).hexdigest()


def keep_apart() -> None:
    """Have numba keep what it compiles in a folder of this source's own. Call it before numba is imported."""
    given = os.environ.get(_VARIABLE)
    base = Path(given) if given else _PACKAGE / "__pycache__" / "numba"
    if base.name.startswith(_NAME):  # by the process that started this one
        base = base.parent
    own = base / f"{_NAME}{source_sha256()[:16]}"
    if not own.is_dir():
        try:
            own.mkdir(parents=True, exist_ok=True)
        except OSError:
            return  # numba finds a place of its own, in the user's home
        earlier = sorted(base.glob(f"{_NAME}*"), key=lambda one: one.stat().st_mtime)
        for one in earlier[:-_KEPT]:
            shutil.rmtree(one, ignore_errors=True)
    os.environ[_VARIABLE] = str(own)
