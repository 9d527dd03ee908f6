"""Practice."""

from typing import Annotated

from fastapi import APIRouter, Path, Response

from amber_ladder.api.problems import RESPONSES
from amber_ladder.work.practice import attempts

router = APIRouter(tags=["practice"], responses=RESPONSES)


@router.get("/practice")
def read() -> attempts.PracticeView:
    """What there is to practise, and how far one is oneself."""
    return attempts.practice()


@router.post("/practice/attempts", status_code=201)
def begin(entry: attempts.AttemptEntry) -> attempts.AttemptView:
    """Begin an exercise."""
    return attempts.begin(entry)


@router.get("/practice/attempts/{attempt_id}")
def read_attempt(attempt_id: int) -> attempts.AttemptView:
    """An exercise of one's own."""
    return attempts.read(attempt_id)


@router.get("/practice/attempts/{attempt_id}/frames/{index}.jpg", response_class=Response)
def picture(attempt_id: int, index: Annotated[int, Path(ge=0, le=10_000)]) -> Response:
    """A frame of it, counted from 0."""
    return Response(
        attempts.picture(attempt_id, index),
        media_type="image/jpeg",
        headers={"Cache-Control": "private, max-age=86400"},
    )


@router.get("/practice/attempts/{attempt_id}/difference.jpg", response_class=Response)
def difference(attempt_id: int) -> Response:
    """What was answered beside what would have been right."""
    return Response(attempts.difference(attempt_id), media_type="image/jpeg")


@router.post("/practice/attempts/{attempt_id}/answer")
def answer(attempt_id: int, entry: attempts.AnswerEntry) -> attempts.AttemptView:
    """Answer it, once."""
    return attempts.answer(attempt_id, entry)


@router.post("/practice/sets")
def check_set(entry: attempts.SetFile) -> attempts.SetFile:
    """Look a trainer's set through before it is practised with, or given away."""
    return attempts.check_set(entry)
