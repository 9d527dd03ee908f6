"""A stack's line in the ledger, reckoned from all that is known of it."""

import logging
import time
from typing import Any

import numpy as np

from amber_ladder.core.measuring import KINDS
from amber_ladder.core.sorting import depth_in_medium_um
from amber_ladder.errors import Conflict
from amber_ladder.store import ledger as lines
from amber_ladder.store import stacks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.ledger_models import LedgerRow
from amber_ladder.store.models import Product, Stack, Take
from amber_ladder.store.stacks import TILES
from amber_ladder.work.measure.values import value_of
from amber_ladder.work.record.records import label_of, light_of, mends_of, shot_with
from amber_ladder.work.stack.counted import counted_merge
from amber_ladder.work.stack.scale import planned_scale
from amber_ladder.work.stack.series import series_view
from amber_ladder.work.stack.views import stack_ladder, stack_plan, stack_rig

_CARRIES = 0.01
"""A frame that gave less than this share of the picture carried nothing."""
_OF_USUAL = 0.25  # of what each would give if all gave alike
_BARS = 24
_AT_ONCE = 200
_WRITES_FOR_S = 0.4
_PATIENCE_S = 20.0
_FIGURES = tuple(one.key for one in LedgerRow.__table__.columns if one.nullable)
log = logging.getLogger(__name__)


def refresh(session: Session) -> int:
    """Write lines that are behind anew, until it is time to answer; returns how many are behind still."""
    until = time.monotonic() + _WRITES_FOR_S
    for stack_id, notes in lines.behind(session, _AT_ONCE).items():
        lines.write(session, stack_id, _line_of(session, stack_id), notes)
        if time.monotonic() >= until:
            break
    return lines.count_behind(session)


def bring_up_to_date() -> None:
    """Write all lines that are behind, for answers that have no place to say that some still are.

    Raises Conflict where that takes too long; what was written by then stays written.
    """
    until = time.monotonic() + _PATIENCE_S
    while True:
        with transaction() as session:
            left = refresh(session)
        if not left:
            return
        if time.monotonic() >= until:
            raise Conflict(f"the ledger still counts {left} stacks: try again in a minute")


def _line_of(session: Session, stack_id: int) -> dict[str, Any] | None:
    if session.get(Stack, stack_id) is None:
        return None
    stack = stacks.get_stack(session, stack_id)
    try:
        return line(stack)
    except Exception:
        # One stack that cannot be read must not hide all others: its line says that nothing is known.
        log.exception("the line of stack %s cannot be reckoned", stack_id)
        return _bare(stack)


def _bare(stack: Stack) -> dict[str, Any]:
    specimen = stack.specimen
    return {
        **dict.fromkeys(_FIGURES), "catalogue_number": specimen.catalogue_number, "name": specimen.name,
        "specimen_kind": specimen.kind, "rig_name": stack.rig_name, "stack_number": stack.number,
        "planned_at": stack.created_at, "drawing": {}, "series": {},
        "words": f"{specimen.catalogue_number} {specimen.name}".lower(),
    }  # fmt: skip


def line(stack: Stack) -> dict[str, Any]:
    """All columns of a stack's line but its number; what is not known is None."""
    ladder, optics = stack_ladder(stack)
    merge = counted_merge(stack)
    take = merge.take if merge else stack.takes[-1] if stack.takes else None
    sensor, specimen = stack_rig(stack).to_core().sensor, stack.specimen
    series = series_view(take, ladder, sensor) if take else None
    step_um = series.step_um if series else None
    in_medium_um = depth_in_medium_um(step_um, ladder.medium_ratio) if step_um else None
    sharp_um = optics.sharp_depth_um.total
    report = (merge.report or {}) if merge else {}
    label = label_of(merge) if merge else None
    scale = planned_scale(stack)
    found = [one["kind"] for one in report.get("findings", [])]
    of_frames = bool(report) and not report.get("laid")  # what tiles gave stands in the lines of the tiles
    told = {
        "catalogue_number": specimen.catalogue_number, "name": specimen.name, "specimen_kind": specimen.kind,
        "medium": specimen.medium, "rig_name": stack.rig_name, "stack_number": stack.number,
        "rig_version": stack.rig_version, "planned_at": stack.created_at,
        "magnification": optics.magnification, "effective_f_number": optics.effective_f_number,
        "numerical_aperture": optics.numerical_aperture, "detail_um": optics.detail_um, "sharp_um": sharp_um,
        "step_planned_um": ladder.step_um, "frames_planned": len(ladder.positions_um),
        "step_um": step_um, "step_in_medium_um": in_medium_um,
        "step_ratio": in_medium_um / sharp_um if in_medium_um else None,
        "overlap": series.overlap if series else None,
        "take_id": take.id if take else None, "take_number": take.number if take else None,
        "frames_shot": len(take.frames) if take and take.source != TILES else None,
        "shot_with": shot_with(take) if take else None,
        "shot_at": take.created_at if take else None, "seconds": _seconds(take, report) if take else None,
        "frames_left_out": _left_out(take, report) if take and take.source != TILES else None,
        "um_per_px": label.um_per_px if label else scale.um_per_px,
        "u_um_per_px": label.u_um_per_px if label else scale.u_um_per_px,
        "scale_from": _scale_from(merge, label.scale_from) if merge and label else scale.origin,
        "measures": len(take.measures) if take else 0,
        "merge_id": merge.id if merge else None, "merge_number": merge.number if merge else None,
        "merged_at": merge.task.ended_at if merge else None,
        "method": report.get("method"), "depth_um": report.get("depth_um"),
        "frames_used": len(report["frames_used"]) if of_frames else None,
        "frames_carried": sum(one >= _CARRIES for one in report["share"].values()) if of_frames else None,
        "spare_used": _spare_used(stack, take, report, len(ladder.positions_um)) if take and of_frames else None,
        "light": light_of(take) if take else None,
        "gaps": len(report["coverage"]["gaps"]) if of_frames else None,
        "ends_open": found.count("end") if of_frames and "findings" in report else None,
        "moved": found.count("moved") if of_frames and "findings" in report else None,
        "findings": len(found) if "findings" in report else None,
        "mended_share": _mended(merge) if merge else None,
        "drawing": _drawing(ladder.positions_um, take, report),
        "series": _measured(take, merge) if take else {},
    }  # fmt: skip
    seen = (specimen.catalogue_number, specimen.name, specimen.kind, specimen.mount, specimen.medium,
            specimen.locality, specimen.determination, specimen.collector, stack.rig_name)  # fmt: skip
    return {**told, "words": " ".join(seen).lower()}


def _scale_from(merge: Product, origin: str | None) -> str | None:
    return "picture" if merge.reference is not None else origin


def _seconds(take: Take, report: dict[str, Any]) -> float | None:
    """Shooting at the bench, as far as it was one, and merging."""
    known = [float(report["seconds"])] if report else []
    if take.source == "bench" and take.task and take.task.ended_at:
        known.append((take.task.ended_at - take.created_at).total_seconds())
    return sum(known) if known else None


def _left_out(take: Take, report: dict[str, Any]) -> int:
    return len(report["excluded"]) if report else sum(frame.left_out is not None for frame in take.frames)


def _spare_used(stack: Stack, take: Take, report: dict[str, Any], planned: int) -> int | None:
    """How many spare rungs carried, at the end at which more of them did.

    None where there are none, or where the last rung at an end carried too or gave no frame: more might have.
    """
    spare = stack_plan(stack).spare_rungs
    used = set(report["frames_used"])
    # Of very many frames each gives less than a hundredth.
    enough = min(_CARRIES, _OF_USUAL / len(used))
    carried = {one.rung: report["share"].get(one.name, 0.0) >= enough for one in take.frames
               if one.rung is not None and one.name in used}  # fmt: skip
    last = max([planned - 1, *carried])
    if not spare or carried.get(0, True) or carried.get(last, True):
        return None
    near = [spare - rung for rung, some in carried.items() if some and rung < spare]
    far = [rung - (planned - spare) + 1 for rung, some in carried.items() if some and rung >= planned - spare]
    return max([0, *near, *far])


def _mended(merge: Product) -> float:
    """The share of the picture that the mended picture written last has changed."""
    written = mends_of(merge)
    changed = (written[-1].report or {}).get("changed", {}) if written else {}
    return float(sum(changed.values()))


def _measured(take: Take, merge: Product | None) -> dict[str, Any]:
    """Values by the measures' names: of those on the merge that counts, and of several alike the last."""
    mine = [one for one in take.measures if merge is not None and one.merge_id == merge.id]
    told = ((one, value_of(one)) for one in mine)
    return {one.name: {"value": value.value, "u": value.expanded, "unit": KINDS[one.kind].unit} for one, value in told}


def _drawing(positions_um: Any, take: Take | None, report: dict[str, Any]) -> dict[str, Any]:
    """The ladder in small: how many rungs, which share each stretch of it gave, and where gaps and left-out rungs lie.

    Places are from 0, the nearest, to 1.
    """
    rungs = len(take.frames) if take and take.frames else len(positions_um)
    told: dict[str, Any] = {"rungs": rungs, "shot": bool(take and take.frames), "bars": [], "gaps": [], "left_out": []}
    if take and take.frames:
        told["left_out"] = [round(one.place / max(rungs - 1, 1), 3) for one in take.frames if one.left_out][:_BARS]
    if not report or report.get("laid"):
        return told
    told["width_px"] = report["crop"]["width"]
    depths = {one["file"]: float(one["depth"]) for one in report["registration"] if "depth" in one}
    if not depths:
        return told
    least, most = min(depths.values()), max(depths.values())
    place = {name: (depth - least) / ((most - least) or 1.0) for name, depth in depths.items()}
    bars = np.zeros(min(_BARS, len(depths)))
    for name, share in report["share"].items():
        if name in place:
            bars[min(int(place[name] * len(bars)), len(bars) - 1)] += share
    told["bars"] = [round(float(one), 3) for one in bars / (bars.max() or 1.0)]
    ends = (one["files"][0] for one in report.get("findings", []) if one["kind"] == "end" and one["files"])
    told["ends"] = sorted({"near" if place[one] < 0.5 else "far" for one in ends if one in place}, reverse=True)
    told["gaps"] = [
        sorted(round(place[one], 3) for one in (gap["after_frame"], gap["before_frame"]))
        for gap in report["coverage"]["gaps"] if gap["after_frame"] in place and gap["before_frame"] in place
    ]  # fmt: skip
    return told
