"""Merges that are held back: for a run, for the night, or until somebody lets them go on."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal, Self

from pydantic import AwareDatetime, model_validator

from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import queue, single, tasks
from amber_ladder.store.base import now
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.single_models import Queueing

_NEVER = datetime(9999, 1, 1, tzinfo=UTC)
_LONGEST = timedelta(days=7)

Reason = Literal["run", "time", "told"]


class HoldEntry(Strict):
    """Hold merges back: until the run at the bench has ended, until a time, or until somebody lets them go."""

    reason: Reason
    until: AwareDatetime | None = None

    @model_validator(mode="after")
    def _time_for_a_time(self) -> Self:
        if (self.until is None) == (self.reason == "time"):
            raise ValueError("a time is told where merges wait for one, and nowhere else")
        if self.until and not now() < self.until < now() + _LONGEST:
            raise ValueError("merges can wait until a time within the next seven days")
        return self


@dataclass(frozen=True, slots=True)
class HoldView:
    """Merges wait for this; ``until`` is set where it is a time."""

    reason: Reason
    until: datetime | None


def hold(entry: HoldEntry) -> HoldView:
    """Let no merge begin, those begun from now on included; one that runs is not stopped."""
    with transaction() as session:
        single.save(session, Queueing, entry.model_dump(mode="json"))
        queue.hold(session, entry.until or _NEVER)
        tasks.tell(session, "deed", {"id": None})
        return HoldView(entry.reason, entry.until)


def let_go() -> None:
    """Let merges go on."""
    with transaction() as session:
        _let_go(session)


def held() -> HoldView | None:
    """Whether merges wait, and for what."""
    with transaction() as session:
        return _held(session)


def held_until(session: Session) -> datetime | None:
    """When a merge that is asked for now may begin; None at once."""
    found = _held(session)
    return None if found is None else found.until or _NEVER


def after_run(session: Session) -> None:
    """A run at the bench has ended: what waited for that goes on."""
    found = _held(session)
    if found and found.reason == "run":
        _let_go(session)


def _held(session: Session) -> HoldView | None:
    told = single.load(session, Queueing)
    until = datetime.fromisoformat(told["until"]) if told.get("until") else None
    if not told or (until and until <= now()):
        return None
    return HoldView(told["reason"], until)


def _let_go(session: Session) -> None:
    single.save(session, Queueing, {})
    queue.hold(session, None)
    tasks.tell(session, "deed", {"id": None})
