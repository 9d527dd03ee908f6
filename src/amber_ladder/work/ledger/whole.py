"""Ledger: all stacks, a line each."""

import logging

from amber_ladder.core.sorting import depth_in_medium_um
from amber_ladder.formats.exports import csv_table
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Stack
from amber_ladder.work.record.records import label_of, merged_at, shot_with
from amber_ladder.work.stack.counted import counted_merge
from amber_ladder.work.stack.views import stack_ladder, stack_view

COLUMNS = (
    "catalogue number", "name", "kind", "stack", "take", "rig", "magnification", "effective f-number", "NA",
    "step µm planned (stage)", "step µm (stage)", "step µm (in medium)", "overlap", "positions", "frames planned",
    "frames shot", "frames used", "depth µm", "scale µm/px", "scale from", "merge", "method", "gaps", "shot with",
    "merged at",
)  # fmt: skip
log = logging.getLogger(__name__)


def as_csv() -> str:
    """All stacks, a line each, with the merge that counts and its take, or else the latest take."""
    with transaction() as session:
        return csv_table(COLUMNS, (_readable_row(stack) for stack in stacks.merged_stacks(session)))


def _readable_row(stack: Stack) -> list[object]:
    try:
        return _ledger_row(stack)
    except Exception:
        # One stack that cannot be read must not hide all others: of it stands what it is called.
        log.exception("the row of stack %s cannot be reckoned", stack.id)
        specimen = stack.specimen
        named: list[object] = [specimen.catalogue_number, specimen.name, specimen.kind, stack.number]
        return named + [""] * (len(COLUMNS) - len(named))


def _ledger_row(stack: Stack) -> list[object]:
    """What was planned stands as planned; what was shot is left empty where nobody knows it."""
    view, (ladder, _) = stack_view(stack), stack_ladder(stack)
    merge = counted_merge(stack)
    take = merge.take if merge else stack.takes[-1] if stack.takes else None
    report = merge.report if merge else None
    laid = bool(report and report.get("laid"))
    series = next(one.series for one in view.takes if one.id == take.id) if take else None
    step_um = series.step_um if series else None
    scale = label_of(merge) if merge else None
    return [
        view.specimen.catalogue_number, view.specimen.name, view.specimen.kind, view.number,
        take.number if take else "", view.rig_name,
        f"{view.optics.magnification:.4g}", f"{view.optics.effective_f_number:.4g}",
        f"{view.optics.numerical_aperture:.4g}", f"{view.ladder.step_um:.4g}",
        _figure(step_um, ".4g"), _figure(depth_in_medium_um(step_um, ladder.medium_ratio) if step_um else None, ".4g"),
        _figure(series.overlap if series else None, ".3f"),
        (series.depth_from or "not known") if series else "", view.ladder.frames,
        len(take.frames) if take and not laid else "", len(report["frames_used"]) if report and not laid else "",
        _figure(report["depth_um"] if report else None, ".1f"),
        _figure(scale.um_per_px if scale else view.scale.um_per_px, ".5g"),
        (scale.scale_from or "not known") if scale else view.scale.origin,
        merge.number if merge else "", merge.settings["method"] if merge else "",
        len(report["coverage"]["gaps"]) if report and not laid else "",
        shot_with(take) if take else "",
        (merged_at(merge) or "") if merge else "",
    ]  # fmt: skip


def _figure(value: float | None, digits: str) -> str:
    return "" if value is None else format(value, digits)
