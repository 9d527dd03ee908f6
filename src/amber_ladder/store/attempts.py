"""Exercises that somebody did."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from amber_ladder.errors import NotFound
from amber_ladder.store.base import CHANGING
from amber_ladder.store.practice_models import Attempt


def get(session: Session, attempt_id: int, person: str, *, locked: bool = False) -> Attempt:
    """One of a person's own. Raises NotFound, for those of others too."""
    attempt = session.get(Attempt, attempt_id, with_for_update=CHANGING if locked else None)
    if attempt is None or attempt.person != person:
        raise NotFound(f"there is no exercise {attempt_id} of yours")
    return attempt


def answered(session: Session, person: str, most: int) -> Sequence[Attempt]:
    """A person's own that were answered, the latest first."""
    mine = select(Attempt).where(Attempt.person == person, Attempt.score.is_not(None))
    return session.scalars(mine.order_by(Attempt.answered_at.desc(), Attempt.id.desc()).limit(most)).all()


def unanswered(session: Session, person: str) -> Attempt | None:
    """The last that a person began, where it is not answered yet."""
    last = session.scalars(select(Attempt).where(Attempt.person == person).order_by(Attempt.id.desc()).limit(1)).first()
    return last if last is not None and last.score is None else None
