"""Who does long work: the station's own worker, and those on other machines."""

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from amber_ladder.store.models import Task
from amber_ladder.store.tasks import ENDED
from amber_ladder.store.worker_models import Worker

STATION = "station"
"""Name of the worker that starts with the station."""


def show_up(session: Session, name: str, version: str) -> None:
    """Note that this worker is there; times are the database's own, for machines' clocks differ."""
    seen = {"version": version, "seen_at": func.clock_timestamp()}
    session.execute(insert(Worker).values(name=name, **seen).on_conflict_do_update(index_elements=["name"], set_=seen))


def get_worker(session: Session, name: str) -> Worker | None:
    """What is known of a worker; None for one that never showed up."""
    return session.get(Worker, name)


def elsewhere(session: Session, within_s: float) -> list[str]:
    """The workers on other machines that showed up so lately, by name."""
    since = func.clock_timestamp() - func.make_interval(0, 0, 0, 0, 0, 0, within_s)
    query = select(Worker.name).where(Worker.name != STATION, Worker.seen_at > since).order_by(Worker.name)
    return list(session.scalars(query))


def abandoned(session: Session, after_s: float) -> list[Task]:
    """What workers elsewhere had in hand that have not shown up for so long."""
    since = func.clock_timestamp() - func.make_interval(0, 0, 0, 0, 0, 0, after_s)
    gone = select(Worker.name).where(Worker.name != STATION, Worker.seen_at < since)
    query = select(Task).where(Task.worker.in_(gone), Task.state.not_in(ENDED), Task.handed_over.is_(None))
    return list(session.scalars(query.order_by(Task.id)))
