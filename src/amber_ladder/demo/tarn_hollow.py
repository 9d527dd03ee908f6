"""Loading the field station: once, and without disturbing what a person has added since."""

import logging
import threading
from collections.abc import Callable

from amber_ladder.demo.shelf import DEMO, FIVE, PARTS, RIGS, DemoSpecimen
from amber_ladder.errors import AmberLadderError
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.simulated.specimens import RULING_UM
from amber_ladder.store.queue import IN_THE_BACKGROUND
from amber_ladder.work import cabinet, merge, plan, rigs, tasks
from amber_ladder.work.practice import takes
from amber_ladder.work.rigs import calibrations, parts
from amber_ladder.work.stack.views import StackView

log = logging.getLogger(__name__)


def load_first(say: Callable[[str], None]) -> None:
    """Fill an empty database with labels, rigs and plans, and shoot and merge the first stack at once."""
    say("Loading the demo field station, Tarn Hollow …")
    for part in PARTS:
        parts.add_part(part)
    shelf = {entry.name: rigs.add_rig(entry).id for entry in RIGS}
    rigs.put_on_bench(shelf[FIVE], rigs.BenchEntry(flash_power=1 / 8))
    _calibrate(shelf[FIVE])
    for specimen in DEMO:
        label = cabinet.add_specimen(specimen.label)
        if specimen.plan:
            request = LadderRequestJson.model_validate(specimen.plan)
            plan.save_ladder(label.id, plan.PlanEntry(rig_id=shelf[specimen.rig], plan=request))
    first = DEMO[0]
    say(f"Shooting and merging {first.label.catalogue_number} {first.label.name} on the simulated bench …")
    _finish(first, tasks.run)


def _calibrate(rig_id: int) -> None:
    """The first rig's scale from the ruled slide, so that at least one stack is measured rather than nominal."""
    slide = calibrations.shoot_ruled_slide(rig_id)
    calibrations.save_scale(rig_id, calibrations.ScaleEntry(picture=slide.picture, length_um=RULING_UM))


def load_rest(leaving: threading.Event) -> None:
    """Let the worker shoot and merge the other stacks, after anything a person asks for."""

    def wait(task_id: int) -> None:
        while task_id in tasks.unfinished() and not leaving.wait(0.5):
            pass

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
    if not stack.takes:
        take = takes.begin_take(stack.id, specimen.scene, priority=IN_THE_BACKGROUND)
        if take.task:
            until_done(take.task.id)
    for method in specimen.methods:
        stack = plan.read_stack(stack.id)
        take = stack.takes[0]
        if take.complete and method not in {one.method for one in take.merges}:
            merged = merge.begin_merge(take.id, merge.MergeEntry(method=method), priority=IN_THE_BACKGROUND)
            until_done(merged.task.id)


def _first_stack(specimen: DemoSpecimen) -> StackView | None:
    for row in cabinet.browse(words=specimen.label.catalogue_number).rows:
        if row.specimen.catalogue_number == specimen.label.catalogue_number and row.stacks:
            return plan.read_stack(row.stacks[0].id)
    return None
