"""Measure: sizes on a merge, with what makes them uncertain."""

from amber_ladder.work.measure.leaving import measures_csv, measures_json, picture_svg, profile_csv
from amber_ladder.work.measure.looking import SnapEntry, SnapView, snapped
from amber_ladder.work.measure.measures import (
    KindView,
    MeasureChange,
    MeasureEntry,
    MeasureView,
    MeasuringView,
    PickEntry,
    ToldView,
    TriedEntry,
    change,
    kinds,
    measuring,
    pick_again,
    recorded,
    take,
    tried,
)

__all__ = [
    "KindView",
    "MeasureChange",
    "MeasureEntry",
    "MeasureView",
    "MeasuringView",
    "PickEntry",
    "SnapEntry",
    "SnapView",
    "ToldView",
    "TriedEntry",
    "change",
    "kinds",
    "measures_csv",
    "measures_json",
    "measuring",
    "pick_again",
    "picture_svg",
    "profile_csv",
    "recorded",
    "snapped",
    "take",
    "tried",
]
