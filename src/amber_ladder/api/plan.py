"""Plan."""

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import HTMLResponse, Response

from amber_ladder.api.problems import RESPONSES
from amber_ladder.core.planning import ByHand, Caution
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import RigJson, Strict
from amber_ladder.work import plan
from amber_ladder.work.plan import SubjectEntry, bench_sheet
from amber_ladder.work.practice.look import LookEntry, LookView, look
from amber_ladder.work.stack.views import StackView

router = APIRouter(tags=["plan"], responses=RESPONSES)


class PreviewEntry(Strict):
    """A rig, in the specimen's medium, what is wanted of it, and the specimen's stated size."""

    rig: RigJson
    plan: LadderRequestJson
    subject: SubjectEntry = SubjectEntry()


@router.post("/plan/preview")
def try_out_plan(entry: PreviewEntry) -> plan.PlanPreview:
    """The ladder as it would be."""
    return plan.try_out(entry.rig, entry.plan, entry.subject)


@router.post("/plan/tiles")
def try_out_tiles(entry: plan.TilesTrial) -> plan.TilesPreview:
    """A set of tiles as it would be."""
    return plan.try_tiles(entry)


@router.post("/plan/ways")
def other_ways(entry: plan.WaysEntry) -> list[plan.WayView]:
    """Other rigs and apertures for the same depth."""
    return plan.other_ways(entry)


@router.post("/plan/by-hand")
def by_hand(entry: plan.ByHandEntry) -> ByHand:
    """How many frames by hand."""
    return plan.by_hand(entry)


@router.post("/plan/vanishing")
def vanishing(entry: plan.VanishingEntry) -> plan.VanishingView:
    """How long a snow crystal keeps its shape."""
    return plan.vanishing(entry)


@router.post("/plan/look")
def look_before(entry: LookEntry) -> LookView:
    """What the plan would give: a simulated patch at 1:1, at the worst place between two rungs."""
    return look(entry)


@router.get("/plan/before")
def read_before(
    kind: Annotated[str, Query(max_length=60)],
    rig: Annotated[str, Query(max_length=120)],
    magnification: Annotated[float, Query(gt=0, le=1000, allow_inf_nan=False)],
) -> plan.BeforeView:
    """What worked before, for this kind of specimen on this rig."""
    return plan.read_before(kind, rig, magnification)


@router.get("/specimens/{specimen_id}/cautions")
def cautions(specimen_id: int) -> list[Caution]:
    """What to mind with this specimen."""
    return plan.cautions(specimen_id)


@router.post("/stacks/{stack_id}/cautions")
def tick_caution(stack_id: int, entry: plan.CautionEntry) -> StackView:
    """Note that a caution was read."""
    return plan.tick_caution(stack_id, entry)


@router.post("/specimens/{specimen_id}/stacks", status_code=201)
def save_ladder(specimen_id: int, entry: plan.PlanEntry) -> StackView:
    """Save a ladder as a new stack."""
    return plan.save_ladder(specimen_id, entry)


@router.post("/specimens/{specimen_id}/tile-sets", status_code=201)
def save_tiles(specimen_id: int, entry: plan.TileSetEntry) -> StackView:
    """Save a ladder as a set of tiles; answers with the whole that they are laid together in."""
    return plan.save_tiles(specimen_id, entry)


@router.put("/stacks/{stack_id}/plan")
def change_ladder(stack_id: int, entry: plan.PlanEntry, seen: int | None = None) -> StackView:
    """Plan anew what was not shot yet."""
    return plan.change_ladder(stack_id, entry, seen=seen)


@router.get("/stacks/{stack_id}")
def read_stack(stack_id: int) -> StackView:
    """A stack with all that its stages show."""
    return plan.read_stack(stack_id)


@router.post("/stacks/{stack_id}/again", status_code=201)
def plan_again(stack_id: int) -> StackView:
    """Start a stack whose plan repairs what the ledger says of this one."""
    return plan.plan_again(stack_id)


@router.get("/stacks/{stack_id}/bench-sheet", response_class=HTMLResponse)
def bench_sheet_page(stack_id: int) -> HTMLResponse:
    """One printable page for the bench."""
    return HTMLResponse(bench_sheet.html(stack_id), headers={"Cache-Control": "no-cache"})


@router.get("/stacks/{stack_id}/bench-sheet.pdf", response_class=Response)
def bench_sheet_pdf(stack_id: int) -> Response:
    """The same as PDF."""
    content, name = bench_sheet.pdf(stack_id)
    return Response(
        content, media_type="application/pdf", headers={"Content-Disposition": f'attachment; filename="{name}"'}
    )


@router.put("/stacks/{stack_id}/ends")
def set_ends(stack_id: int, entry: plan.EndsEntry) -> StackView:
    """Plan anew between these ends."""
    return plan.set_ends(stack_id, entry)
