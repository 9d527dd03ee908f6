"""Ledger."""

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response

from amber_ladder.api.problems import RESPONSES
from amber_ladder.api.record import saved
from amber_ladder.work import ledger

router = APIRouter(tags=["ledger"], responses=RESPONSES)
_CSV = "text/csv; charset=utf-8"
_UTF8 = "\ufeff"
"""The mark at the start tells spreadsheets that the text is UTF-8."""


@router.get("/ledger")
def browse(asked: Annotated[ledger.PageFilter, Query()]) -> ledger.LedgerPage:
    """Stacks that match, in an order."""
    return ledger.browse(asked)


@router.get("/ledger/head")
def head() -> ledger.LedgerHead:
    """Columns, and what can be chosen."""
    return ledger.head()


@router.get("/ledger/plot")
def plot(asked: Annotated[ledger.PlotFilter, Query()]) -> ledger.LedgerPlot:
    """A point for each stack that matches."""
    return ledger.plot(asked)


@router.get("/ledger/shown.csv", response_class=Response)
def shown(asked: Annotated[ledger.TableFilter, Query()]) -> Response:
    """What the ledger shows, as it is filtered and ordered."""
    return saved((_UTF8 + ledger.as_shown(asked)).encode(), _CSV, "amber-ladder-stacks.csv")


@router.get("/ledger/shown.parquet", response_class=Response)
def shown_parquet(asked: Annotated[ledger.TableFilter, Query()]) -> Response:
    """The same, with types and units."""
    return saved(ledger.as_parquet(asked), "application/vnd.apache.parquet", "amber-ladder-stacks.parquet")


@router.get("/ledger/darwin-core.zip", response_class=Response)
def darwin_core(asked: Annotated[ledger.LedgerFilter, Query()]) -> Response:
    """Specimens and pictures of what is asked for, for a collection's database."""
    content, name = ledger.as_darwin_core(asked)
    return saved(content, "application/zip", name)


@router.get("/ledger/views")
def views() -> list[ledger.ViewLine]:
    """Saved views."""
    return ledger.views()


@router.post("/ledger/views", status_code=201)
def save_view(entry: ledger.ViewEntry) -> list[ledger.ViewLine]:
    """Save a view."""
    return ledger.save_view(entry)


@router.delete("/ledger/views/{view_id}")
def forget_view(view_id: int) -> list[ledger.ViewLine]:
    """Forget a view."""
    return ledger.forget_view(view_id)


@router.get("/ledger.csv", response_class=Response)
def whole() -> Response:
    """All stacks, with all columns."""
    return saved((_UTF8 + ledger.as_csv()).encode(), _CSV, "amber-ladder-ledger.csv")
