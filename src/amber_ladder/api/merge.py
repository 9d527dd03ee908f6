"""Merge."""

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response

from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import merge
from amber_ladder.work.stack.views import MergeView, StackView

router = APIRouter(tags=["merge"], responses=RESPONSES)


@router.post("/takes/{take_id}/merges", status_code=201)
def begin_merge(take_id: int, entry: merge.MergeEntry) -> MergeView:
    """Queue a merge."""
    return merge.begin_merge(take_id, entry)


@router.post("/stacks/{stack_id}/lay", status_code=201)
def begin_laying(stack_id: int, entry: merge.LayEntry) -> MergeView:
    """Queue the laying together of a whole's tiles."""
    return merge.begin_laying(stack_id, entry)


@router.put("/merges/{merge_id}/counts")
def let_count(merge_id: int) -> StackView:
    """Let a finished merge count for its stack."""
    return merge.let_count(merge_id)


@router.post("/merges/{merge_id}/patch", response_class=Response)
def try_patch(merge_id: int, entry: merge.PatchEntry) -> Response:
    """A part of the picture, merged in another way, as a PNG."""
    return Response(merge.try_patch(merge_id, entry), media_type="image/png")


@router.get("/merges/{merge_id}/depth")
def depth_of(merge_id: int) -> merge.DepthView:
    """The legend of a merge's depth."""
    return merge.depth_of(merge_id)


@router.get("/merges/{merge_id}/contours")
def contours_of(
    merge_id: int, every: Annotated[float | None, Query(gt=0, le=1e6, allow_inf_nan=False)] = None
) -> merge.ContoursView:
    """Lines of equal depth over the merged picture, one every so many of its unit."""
    return merge.contours_of(merge_id, every)


@router.get("/merges/{merge_id}/depth-at")
def depth_at(merge_id: int, x_px: int, y_px: int) -> merge.DepthAt:
    """The depth at a pixel of the merged picture."""
    return merge.depth_at(merge_id, x_px, y_px)
