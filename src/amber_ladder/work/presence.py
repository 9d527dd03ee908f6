"""The workers: who is there, and what each has in hand."""

from amber_ladder import __version__
from amber_ladder.compiled import source_sha256
from amber_ladder.errors import AmberLadderError
from amber_ladder.settings import settings
from amber_ladder.store import stacks, tasks, workers
from amber_ladder.store.database import newest, revision, transaction
from amber_ladder.work.merge import elsewhere

THERE_S = 15.0
"""A worker that showed up so lately is there."""


def elsewhere_now() -> list[str]:
    """Names of the workers on other machines that are there."""
    with transaction() as session:
        return workers.elsewhere(session, THERE_S)


def version() -> str:
    """Of this program, and a checksum of its source: where both are the same, so are results."""
    return f"{__version__} ({source_sha256()[:8]})"


def show_up(name: str) -> None:
    """Note that this worker is there."""
    with transaction() as session:
        workers.show_up(session, name, version())


def left_by(name: str) -> tuple[frozenset[int], list[int]]:
    """What this worker had in hand when it ended; and, for the station's, all that is to be in the queue."""
    here = name == workers.STATION
    with transaction() as session:
        open_tasks = [stacks.get_task(session, one) for one in tasks.unfinished(session)]
        # Taken from the queue, but not yet in anybody's hand: the station's own worker sees to that.
        own = (name, None) if here else (name,)
        in_hand = frozenset(one.id for one in open_tasks if one.worker in own)
        return in_hand, [one.id for one in open_tasks if here and one.handed_over is None]


def prune(keep_bytes: int) -> None:
    """Let a worker elsewhere keep no more than this of what it has fetched."""
    elsewhere.prune(settings().data, keep_bytes)


def is_alike() -> bool:
    """Whether a worker may begin; False while the station's own has not shown up yet.

    Raises AmberLadderError where the station is of another version: its results would be others.
    """
    head, _ = newest()
    ours = version()
    with transaction() as session:
        station = workers.get_worker(session, workers.STATION) if revision() == head else None
    if revision() != head or (station and station.version != ours):
        theirs = station.version if station else "another version"
        raise AmberLadderError(
            f"the station is of version {theirs}, this worker of {ours}: bring both to the same, or results would "
            "depend on who made them"
        )
    return station is not None
