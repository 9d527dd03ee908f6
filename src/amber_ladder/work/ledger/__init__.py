"""Ledger: all stacks, a line each; found, ordered, drawn, and told where they want to be shot again."""

from amber_ladder.work.ledger.browsing import (
    LedgerFilter,
    LedgerHead,
    LedgerPage,
    LedgerPlot,
    PageFilter,
    PlotFilter,
    TableFilter,
    ViewEntry,
    ViewLine,
    as_parquet,
    as_shown,
    browse,
    forget_view,
    head,
    plot,
    save_view,
    views,
)
from amber_ladder.work.ledger.for_collections import as_darwin_core
from amber_ladder.work.ledger.whole import as_csv

__all__ = [
    "LedgerFilter",
    "LedgerHead",
    "LedgerPage",
    "LedgerPlot",
    "PageFilter",
    "PlotFilter",
    "TableFilter",
    "ViewEntry",
    "ViewLine",
    "as_csv",
    "as_darwin_core",
    "as_parquet",
    "as_shown",
    "browse",
    "forget_view",
    "head",
    "plot",
    "save_view",
    "views",
]
