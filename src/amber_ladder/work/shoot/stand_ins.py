"""Stand-ins for who moves the focus where no rail does: they shoot into the watched folder, as somebody real would."""

import threading
from typing import Any, Literal

from amber_ladder.simulated.camera import SimulatedCamera
from amber_ladder.simulated.flash import SimulatedFlash
from amber_ladder.simulated.flaws import chosen_flaws
from amber_ladder.simulated.hand import BodyHabits, HandHabits, SimulatedHand, shot_by_body
from amber_ladder.simulated.rail.mechanics import Build, Truth
from amber_ladder.work.shoot.folder_take import StandIn
from amber_ladder.work.shoot.in_turn import InTurn
from amber_ladder.work.shoot.opening import open_camera
from amber_ladder.work.shoot.orders import BenchSettings
from amber_ladder.work.shoot.setup import Setup

_HAND_TURNS_S, _HAND_LOOKS_S = 0.3, 0.05


def turn_by_hand(setup: Setup, bench: BenchSettings, *, by_itself: bool, fired: threading.Event, take: InTurn) -> None:
    """Stand in for a hand on the knob: it turns to each rung that is called, with its habits, and fires.

    Where it does not work ``by_itself``, it sets rightly what is called, and waits each time until ``fired`` is set.
    """
    habits = HandHabits(**_changes(bench, "hand")) if by_itself else HandHabits(unsteady=0.0)
    knob, called = setup.plan.knob, 0
    assert knob is not None
    hand = SimulatedHand(
        habits, finest_um=knob.um_per_division * knob.finest, step_um=setup.ladder.step_um, seed=setup.seed
    )
    at = [setup.ladder.positions_um[0]]
    camera = _moved_camera(setup, bench, at)
    try:
        files = StandIn(take.folder, "knob")
        take.preparing = False
        while not take.stop.stopped:
            ready = take.calls > called if by_itself else fired.is_set()
            to_um = take.called_um()
            if not ready or to_um is None:
                take.stop.event.wait(_HAND_LOOKS_S)
                continue
            fired.clear()
            called = take.calls
            at[0] = hand.turn_to(to_um)
            take.stop.event.wait(_HAND_TURNS_S if by_itself else 0.0)
            files.write(camera.expose())
    finally:
        camera.close()


def bracket(setup: Setup, bench: BenchSettings, take: InTurn) -> None:
    """Stand in for a body that shoots the whole series by itself, with its habits, from the first rung that is open."""
    habits = BodyHabits(**_changes(bench, "body"))
    at = [take.first_um]
    camera = _moved_camera(setup, bench, at)
    try:
        files = StandIn(take.folder, "body")
        take.preparing = False
        wanted = tuple(one for one in take.positions_um if one >= take.first_um)
        for number, at[0] in shot_by_body(habits, wanted):
            if take.stop.stopped:
                return
            for _ in range(number - files.written):
                files.lose()
            files.write(camera.expose())
            take.stop.event.wait(setup.plan.timing.settle_s)
    finally:
        camera.close()


def _moved_camera(setup: Setup, bench: BenchSettings, at: list[float]) -> SimulatedCamera:
    """A simulated camera whose focus lies at ``at[0]``, lit rightly."""
    flash = SimulatedFlash(0.0)
    camera = open_camera(setup, bench, flash, lambda: (Truth(at[0], False, 0.0, 0.0), Build()))
    flash.power = min(camera.right_power, 1.0)
    return camera


def _changes(bench: BenchSettings, of: Literal["hand", "body"]) -> dict[str, Any]:
    return {key: value for flaw in chosen_flaws(bench.flaws) for key, value in getattr(flaw, of).items()}
