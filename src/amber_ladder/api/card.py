"""Card."""

from pathlib import Path

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, Response

from amber_ladder.api.bodies import BODY, KEEP, streamed
from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import card

router = APIRouter(tags=["card"], responses=RESPONSES)


@router.get("/cards")
def all_cards() -> list[card.CardLine]:
    """All cards, the newest first."""
    return card.all_cards()


@router.post("/cards", status_code=201)
def begin(entry: card.CardEntry) -> card.CardView:
    """Begin a card."""
    return card.begin(entry)


@router.get("/cards/{card_id}")
def read(card_id: int) -> card.CardView:
    """One card, its files and the stacks that they become."""
    return card.read(card_id)


@router.put("/cards/{card_id}/files", status_code=201, openapi_extra=BODY)
async def add_file(card_id: int, name: str, request: Request) -> card.FileView:
    """Keep a file under its path on the card; the body is the file."""
    return await streamed(request, lambda chunks: card.add_file(card_id, name, chunks))


@router.post("/cards/{card_id}/look")
def look(card_id: int) -> card.CardView:
    """Look at all files, and take them apart into stacks."""
    return card.look_at_card(card_id)


@router.put("/cards/{card_id}/folder")
def fetch_folder(card_id: int, entry: card.FolderEntry) -> card.CardView:
    """Fetch a folder of the station, and look at it."""
    return card.fetch_folder(card_id, entry)


@router.put("/cards/{card_id}/borders")
def set_borders(card_id: int, entry: card.BordersEntry) -> card.CardView:
    """Set, remove or move borders."""
    return card.set_borders(card_id, entry)


@router.put("/cards/{card_id}/left-out")
def leave_out(card_id: int, entry: card.LeftOutEntry) -> card.CardView:
    """Leave files out."""
    return card.leave_out(card_id, entry)


@router.put("/cards/{card_id}/taken-back")
def take_back(card_id: int, entry: card.TakenBackEntry) -> card.CardView:
    """Let files take part."""
    return card.take_back(card_id, entry)


@router.put("/cards/{card_id}/stacks/{first}/goes")
def set_goes(card_id: int, first: int, entry: card.GoesEntry) -> card.CardView:
    """Say where a stack goes."""
    return card.set_goes(card_id, first, entry)


@router.post("/cards/{card_id}/accept")
def accept(card_id: int, entry: card.AcceptEntry) -> card.CardView:
    """Make takes of stacks."""
    return card.accept(card_id, entry)


@router.get("/card-files/{file_id}/thumb.jpg", response_class=Response)
def thumb(file_id: int) -> Response:
    """A file, small."""
    return Response(card.thumb_of(file_id), media_type="image/jpeg", headers=KEEP)


@router.get("/card-files/{file_id}/picture.jpg", response_class=Response)
def picture(file_id: int) -> Response:
    """A file in its own size."""
    found = card.picture_of(file_id)
    if isinstance(found, Path):
        return FileResponse(found, media_type="image/jpeg", headers=KEEP)
    return Response(found, media_type="image/jpeg", headers=KEEP)
