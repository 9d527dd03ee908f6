"""The bench sheet of a stack: rig, light, ladder, checklist and cautions on one page."""

from amber_ladder.core.optics import Optics, explain
from amber_ladder.core.planning import Ladder, cautions_for, loose_framing, reading_at
from amber_ladder.formats.bench_sheet import BenchSheet, bench_sheet_html, bench_sheet_pdf, drawn_ladder
from amber_ladder.formats.plan_json import LadderRequestJson, Mover
from amber_ladder.settings import settings
from amber_ladder.store import rigs, stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Stack
from amber_ladder.work.plan.cautions import circumstances
from amber_ladder.work.rigs.trains import flash_from_bench
from amber_ladder.work.stack.views import stack_ladder, stack_plan, stack_rig

_MOST_DRAWN = 400
_MOST_LISTED = 120  # rungs; more fill the page and nobody reads them
Rows = list[tuple[str, str]]
_RUNG_UNITS: dict[Mover, str] = {
    "rail": "stage readings in µm",
    "body": "units from the first",
    "knob": "readings of the knob, +1 a whole turn further",
}


def html(stack_id: int) -> str:
    """The sheet as a page. Raises NotFound."""
    return bench_sheet_html(_sheet(stack_id), pages=settings().pages, pdf_url=f"/api/stacks/{stack_id}/bench-sheet.pdf")


def pdf(stack_id: int) -> tuple[bytes, str]:
    """The sheet as PDF, and the name to save it under. Raises NotFound."""
    sheet = _sheet(stack_id)
    stem = "".join(c if c.isascii() and (c.isalnum() or c in "-_") else "-" for c in sheet.number)
    return bench_sheet_pdf(sheet, pages=settings().pages), f"{stem}_stack{sheet.stack}_bench-sheet.pdf"


def _sheet(stack_id: int) -> BenchSheet:
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        ladder, optics = stack_ladder(stack)
        plan = stack_plan(stack)
        flash = flash_from_bench(stack_rig(stack), rigs.on_bench(session))
        light: Rows = [("Set the light", "after the aperture, never before")]
        if flash:
            name, change = flash
            light.append((f"Flash, from {name}", f"{change.setting} ({change.stops:+.1f} stops)"))
        every = -(-ladder.frames // _MOST_DRAWN)
        drawn, marks = drawn_ladder(
            list(ladder.positions_um)[::every],
            ladder.sharp_depth_stage_um,
            [(plan.near_um, "nearest"), (ladder.far_um, "farthest")],
        )
        specimen = stack.specimen
        return BenchSheet(
            number=specimen.catalogue_number,
            name=specimen.name,
            stack=stack.number,
            under=", ".join(
                filter(None, (specimen.kind, specimen.mount, _medium(specimen.medium, specimen.medium_index)))
            ),
            headline=f"{ladder.frames} frames every {_um(ladder.step_um)}",
            columns=[
                [("Rig", _rig_rows(stack, optics)), ("Light", light)],
                [("Ladder", _ladder_rows(plan, ladder, every)), ("Frame", _frame_rows(stack, plan, ladder, optics))],
            ],
            drawn=drawn,
            marks=marks,
            warnings=list(ladder.warnings),
            checklist=_checklist(plan),
            cautions=list(cautions_for(circumstances(specimen))),
            rungs=_rungs(plan, ladder) if ladder.frames <= _MOST_LISTED else [],
            rung_unit=_RUNG_UNITS[plan.mover],
        )


def _rig_rows(stack: Stack, optics: Optics) -> Rows:
    rig = stack_rig(stack).to_core()
    figures = {one.key: one for one in explain(rig)}
    origin = figures["magnification"].inputs[0].origin
    rows = [
        ("Rig", f"{stack.rig_name}, version {stack.rig_version}"),
        ("Magnification", f"{optics.magnification:.3g}× {'measured' if origin == 'measured' else 'nominal'}"),
        ("Effective aperture", f"f/{optics.effective_f_number:.3g}, NA {optics.numerical_aperture:.3g}"),
        ("Sharp depth of one frame", _um(optics.sharp_depth_um.total)),
        ("Smallest detail", _um(optics.detail_um)),
        ("Pixel on the specimen", f"{optics.pixel_um:.4g} µm"),
    ]
    if rig.working_distance_mm:
        rows.append(("Working distance", f"{rig.working_distance_mm:g} mm; back off before any change"))
    return rows


def _ladder_rows(plan: LadderRequestJson, ladder: Ladder, drawn_every: int) -> Rows:
    rows = [
        ("Nearest and farthest point", f"{plan.near_um:g} and {ladder.far_um:g} µm"),
        ("First and last rung", f"{ladder.positions_um[0]:g} and {ladder.positions_um[-1]:g} µm"),
        ("Approach", f"from near, starting at {ladder.approach_from_um:g} µm"),
        ("Overlap, worst blur", f"{100 * ladder.overlap:.0f} %, {ladder.worst_blur_px:.2g} px"),
        ("Time, card", f"{_duration(ladder.seconds)}, {ladder.bytes / 1e6:.0f} MB"),
    ]
    if plan.focus_unit:
        units = round(ladder.step_um / plan.focus_unit.um_per_unit)
        rows.insert(
            2,
            ("Set on the camera", f"{ladder.frames} frames, step {units} (1 is {plan.focus_unit.um_per_unit:.3g} µm)"),
        )
    elif plan.knob:
        drum = f"{plan.knob.um_per_division:.3g} µm a division, {plan.knob.divisions_per_turn} a turn"
        rows.insert(2, ("Knob", f"{ladder.step_um / plan.knob.um_per_division:.4g} divisions a rung ({drum})"))
    elif plan.rail and plan.rail.click_um:
        rows.insert(
            2, ("Rail", f"{round(ladder.step_um / plan.rail.click_um)} clicks of {plan.rail.click_um:g} µm a rung")
        )
    if drawn_every > 1:
        rows.append(("In the drawing", f"one rung of {drawn_every}: all of them would run together"))
    if abs(ladder.step_in_medium_um - ladder.step_um) > 1e-9:
        rows.append(
            (
                "In the medium, a step is",
                f"{ladder.step_near_axis_um:.4g} µm near the axis, {ladder.step_rim_um:.4g} µm at the rim",
            )
        )
    return rows


def _frame_rows(stack: Stack, plan: LadderRequestJson, ladder: Ladder, optics: Optics) -> Rows:
    rig = stack_rig(stack).to_core()
    framing = loose_framing(rig, optics, travel_um=ladder.travel_um, moves=plan.moves)
    return [
        ("Field", f"{optics.field_mm[0]:.3g} × {optics.field_mm[1]:.3g} mm"),
        (
            "Compose within",
            f"{framing.field_mm[0]:.3g} × {framing.field_mm[1]:.3g} mm ({100 * framing.inner_share:.0f} %)",
        ),
    ]


def _checklist(plan: LadderRequestJson) -> list[str]:
    lines = [
        "Exposure, white balance and power all manual, the same for every frame",
        "A frame with the flash off comes out black",
        "Test frame: dark parts dark, bright parts not washed out, no glare",
        "First and last rung show nothing sharp",
        "Delayed or remote release; hands off the table",
        "Card has room; battery full",
    ]
    if plan.focus_unit:
        lines.append("Stabiliser off, autofocus as the body needs it, other bracketing off, a new folder")
    elif plan.knob:
        lines.append("Turn one way only; when a reading was passed, go back well before it and come again")
        lines.append("Nothing touches the specimen over the whole ladder; hands off while the shutter is open")
    else:
        lines.append("Rail moves freely over the whole ladder, nothing touches the specimen")
    return lines


def _rungs(plan: LadderRequestJson, ladder: Ladder) -> list[str]:
    first = ladder.positions_um[0]
    knob = plan.to_knob()
    if knob:
        read = [reading_at(knob, one) for one in ladder.positions_um]
        return [
            f"{one.division:g}" + (f" +{one.turn - read[0].turn}" if one.turn != read[0].turn else "") for one in read
        ]
    if plan.focus_unit:
        return [f"{round((one - first) / plan.focus_unit.um_per_unit)}" for one in ladder.positions_um]
    return [f"{one:.1f}" for one in ladder.positions_um]


def _medium(name: str, index: float) -> str:
    return f"in {name}, n {index:g}" if index > 1 else ""


def _um(value: float) -> str:
    return f"{value / 1e3:.4g} mm" if value >= 1e4 else f"{value:.4g} µm"


def _duration(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes} min {rest} s" if minutes else f"{rest} s"
