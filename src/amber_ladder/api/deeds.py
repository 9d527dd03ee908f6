"""What was done last, undoing it, throwing away and bringing back."""

from fastapi import APIRouter

from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import deeds

router = APIRouter(tags=["deeds"], responses=RESPONSES)


@router.get("/deeds")
def latest_deeds() -> list[deeds.DeedView]:
    """What was done and can be undone, the last thing first."""
    return deeds.latest_deeds()


@router.post("/deeds/{deed_id}/undo")
def undo(deed_id: int) -> deeds.DeedView | None:
    """Undo it."""
    return deeds.undo(deed_id)


@router.get("/discards")
def discarded() -> list[deeds.DiscardView]:
    """All that was thrown away and can be restored."""
    return deeds.discarded()


@router.post("/discards", status_code=201)
def discard(entry: deeds.DiscardEntry) -> deeds.DiscardView:
    """Throw something away, with the reason."""
    return deeds.discard(entry)


@router.post("/discards/{discard_id}/restore")
def restore(discard_id: int) -> list[deeds.DiscardView]:
    """Bring it back."""
    return deeds.restore(discard_id)
