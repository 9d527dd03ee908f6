"""The bench's settings: one row."""

from typing import Any

from sqlalchemy.orm import Session

from amber_ladder.store.models import Bench

_ONLY = 1


def load(session: Session) -> dict[str, Any]:
    """What was saved last; empty before anything was."""
    bench = session.get(Bench, _ONLY)
    return dict(bench.settings) if bench else {}


def save(session: Session, settings: dict[str, Any]) -> None:
    """Keep these."""
    session.merge(Bench(id=_ONLY, settings=settings))
    session.flush()
