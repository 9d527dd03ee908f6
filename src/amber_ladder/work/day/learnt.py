"""How long hands really took, from the runs of the last months."""

from datetime import timedelta

from amber_ladder.core.day import Learnt, Run, learnt_from
from amber_ladder.store import days
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction

_LOOKS_BACK = timedelta(days=90)


def learnt() -> Learnt:
    """Setting up and changing the rig, in seconds."""
    with transaction() as session:
        found = days.runs_since(session, now() - _LOOKS_BACK)
    return learnt_from([Run(stack, rig, begun.timestamp(), ended.timestamp()) for stack, rig, begun, ended in found])
