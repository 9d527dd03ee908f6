"""Merge."""

from fastapi import APIRouter

from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import merge
from amber_ladder.work.stack.views import MergeView

router = APIRouter(tags=["merge"], responses=RESPONSES)


@router.post("/takes/{take_id}/merges", status_code=201)
def begin_merge(take_id: int, entry: merge.MergeEntry) -> MergeView:
    """Queue a merge."""
    return merge.begin_merge(take_id, entry)
