"""The day."""

from datetime import date

from fastapi import APIRouter

from amber_ladder.api.problems import RESPONSES
from amber_ladder.core.day import Learnt
from amber_ladder.work import day

router = APIRouter(tags=["day"], responses=RESPONSES)


@router.get("/hands")
def learnt() -> Learnt:
    """How long setting up and changing the rig really took."""
    return day.learnt()


@router.get("/days/{on}")
def read(on: date) -> day.DayView | None:
    """What is to be shot on a date, and how far that is; null where nobody made a list."""
    return day.read(on)


@router.put("/days/{on}")
def change(on: date, entry: day.DayEntry) -> day.DayChange:
    """Set hours, breaks, list and order."""
    return day.change(on, entry)


@router.post("/days/{on}/order")
def propose(on: date, seen: int) -> day.DayChange:
    """Put what is to come into the best order."""
    return day.propose(on, seen=seen)
