"""What there is one of at a station: its bench, whether its merges wait, whose it is, and how its files are called."""

from typing import Any, cast

from sqlalchemy.orm import Session

from amber_ladder.store.single_models import Bench, Naming, Queueing, StationRow

_ONLY = 1
_Single = type[Bench] | type[Naming] | type[Queueing] | type[StationRow]


def load(session: Session, row: _Single) -> dict[str, Any]:
    """What was saved last; empty before anything was."""
    found = cast(Bench | Naming | Queueing | StationRow | None, session.get(row, _ONLY))
    return dict(found.settings) if found else {}


def save(session: Session, row: _Single, settings: dict[str, Any]) -> None:
    """Keep these."""
    session.merge(row(id=_ONLY, settings=settings))
    session.flush()
