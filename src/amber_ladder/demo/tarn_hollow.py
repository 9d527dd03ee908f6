"""Loading the field station: once, and without disturbing what a person has added since."""

import logging
import threading
from collections.abc import Callable
from datetime import datetime, timedelta

from amber_ladder.demo import field_card
from amber_ladder.demo.shelf import DAY, DAY_AIR, DAY_WAITS_MIN, DEMO, FIVE, PARTS, RIGS, DemoSpecimen
from amber_ladder.errors import AmberLadderError
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.simulated.specimens import RULING_UM
from amber_ladder.store.queue import IN_THE_BACKGROUND
from amber_ladder.work import cabinet, day, merge, plan, rigs, tasks
from amber_ladder.work.practice import takes
from amber_ladder.work.rigs import calibrations, parts, scales
from amber_ladder.work.stack.views import StackView

log = logging.getLogger(__name__)


def load_first(say: Callable[[str], None]) -> None:
    """Fill a database with labels, rigs and plans, and shoot and merge the first stack at once.

    What is there already is left as it is: a load that was broken off goes on where it ended.
    """
    say("Loading the demo field station, Tarn Hollow …")
    there = {one.name for one in parts.shelf()}
    for part in PARTS:
        if part.name not in there:
            parts.add_part(part)
    shelf = {rig.name: rig.id for rig in rigs.shelf()}
    for entry in RIGS:
        if entry.name not in shelf:
            shelf[entry.name] = rigs.add_rig(entry).id
    rigs.put_on_bench(shelf[FIVE], rigs.BenchEntry(flash_power=1 / 8))
    if not calibrations.of_rig(shelf[FIVE]):
        _calibrate(shelf[FIVE])
    for specimen in DEMO:
        _label(specimen, shelf)
    _plan_day()
    first = DEMO[0]
    say(f"Shooting and merging {first.label.catalogue_number} {first.label.name} on the simulated bench …")
    _finish(first, tasks.run)


def _label(specimen: DemoSpecimen, shelf: dict[str, int]) -> None:
    row = _row(specimen)
    label = row.specimen if row else cabinet.add_specimen(specimen.label)
    if specimen.plan and not (row and row.stacks):
        request = LadderRequestJson.model_validate(specimen.plan)
        rig_id = shelf[specimen.rig]
        if specimen.tiles:
            tiles = plan.TilesEntry(columns=specimen.tiles[0], rows=specimen.tiles[1])
            plan.save_tiles(label.id, plan.TileSetEntry(rig_id=rig_id, plan=request, tiles=tiles))
        else:
            plan.save_ladder(label.id, plan.PlanEntry(rig_id=rig_id, plan=request))


def _plan_day() -> None:
    """A list for today, from the present hour on, as it was typed in: nobody has looked for its best order yet."""
    now = datetime.now().astimezone()
    if day.read(now.date()):
        return
    starts_at = now.replace(minute=0, second=0, microsecond=0)
    items = []
    for number in DAY:
        row = next(row for row in cabinet.browse(words=number).rows if row.specimen.catalogue_number == number)
        wait, air = DAY_WAITS_MIN.get(number), DAY_AIR.get(number)
        items.append({
            "stack_id": row.stacks[0].id,
            "by_at": None if wait is None else starts_at + timedelta(minutes=wait),
            "vanishes": None if air is None else {**air, "since": now},
        })  # fmt: skip
    lunch = {"from_at": starts_at + timedelta(hours=3), "until_at": starts_at + timedelta(hours=3.75)}
    entry = {"starts_at": starts_at, "ends_at": starts_at + timedelta(hours=8), "breaks": [lunch], "items": items}
    day.change(now.date(), day.DayEntry.model_validate(entry))


def _calibrate(rig_id: int) -> None:
    """The first rig's scale from the ruled slide, so that at least one stack is measured rather than nominal."""
    slide = scales.shoot_ruled_slide(rig_id)
    scales.save_scale(rig_id, scales.ScaleEntry(picture=slide.picture, length_um=RULING_UM))


def load_rest(leaving: threading.Event) -> None:
    """Let the worker shoot and merge the other stacks, after anything a person asks for."""

    def wait(task_id: int) -> None:
        while task_id in tasks.unfinished() and not leaving.wait(0.5):
            pass

    try:
        task_id = field_card.bring_in()
        if task_id is not None:
            wait(task_id)
            field_card.say_where_it_goes()
    except AmberLadderError as error:
        log.warning("the demo's card was left as it is: %s", error)
    for specimen in DEMO:
        if leaving.is_set():
            return
        try:
            _finish(specimen, wait)
        except AmberLadderError as error:
            log.warning("the demo's %s was left as it is: %s", specimen.label.name, error)


def _finish(specimen: DemoSpecimen, until_done: Callable[[int], None]) -> None:
    """Shoot and merge one specimen's first stack as far as that was not done before."""
    stack = _first_stack(specimen)
    if stack is None or not specimen.scene:
        return
    take = stack.takes[0] if stack.takes else takes.begin_take(stack.id, specimen.scene, priority=IN_THE_BACKGROUND)
    if take.task and not take.complete:
        until_done(take.task.id)
    for method in specimen.methods:
        stack = plan.read_stack(stack.id)
        take = stack.takes[0]
        if take.complete and method not in {one.method for one in take.merges}:
            merged = merge.begin_merge(take.id, merge.MergeEntry(method=method), priority=IN_THE_BACKGROUND)
            until_done(merged.task.id)


def _first_stack(specimen: DemoSpecimen) -> StackView | None:
    row = _row(specimen)
    return plan.read_stack(row.stacks[0].id) if row and row.stacks else None


def _row(specimen: DemoSpecimen) -> cabinet.CabinetRow | None:
    number = specimen.label.catalogue_number
    return next((row for row in cabinet.browse(words=number).rows if row.specimen.catalogue_number == number), None)
