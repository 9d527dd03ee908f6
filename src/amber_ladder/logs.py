"""What each process did, in one folder: a line an event, with the request or task that it belongs to."""

import logging
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from logging.handlers import RotatingFileHandler
from pathlib import Path

_BYTES, _OLD = 5_000_000, 4
_LOUD = ("uvicorn", "uvicorn.error")  # these have handlers of their own, and pass nothing on
_about: ContextVar[str] = ContextVar("about", default="-")


class _OneLine(logging.Formatter):
    """A traceback too is one line: whoever searches for a request finds all of it."""

    def format(self, record: logging.LogRecord) -> str:
        record.about = _about.get()
        return super().format(record).replace("\n", " | ")


def folder(data: Path) -> Path:
    """Where the logs of all processes lie."""
    return data / "logs"


def begin(process: str, data: Path) -> None:
    """Let this process write its log from now on, and only warnings to where it was started."""
    folder(data).mkdir(parents=True, exist_ok=True)
    file = RotatingFileHandler(folder(data) / f"{process}.log", maxBytes=_BYTES, backupCount=_OLD, encoding="utf-8")
    file.setFormatter(_OneLine("%(asctime)s %(levelname)s %(name)s [%(about)s] %(message)s"))
    console = logging.StreamHandler(sys.stderr)
    console.setLevel(logging.WARNING)
    console.setFormatter(_OneLine(f"{process}: %(message)s"))
    logging.basicConfig(level=logging.INFO, handlers=[file, console], force=True)
    for name in _LOUD:
        logging.getLogger(name).addHandler(file)
    for chatty in ("procrastinate", "pyvips", "httpx", "alembic", "watchfiles", "fontTools", "numba"):
        logging.getLogger(chatty).setLevel(logging.WARNING)
    logging.raiseExceptions = False  # a disk without room must not end the work


@contextmanager
def about(what: str) -> Iterator[None]:
    """Say in each line what it belongs to."""
    token = _about.set(what)
    try:
        yield
    finally:
        _about.reset(token)
