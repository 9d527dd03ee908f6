"""Bringing the devices of the bench to life for one stack."""

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from math import cos, pi
from pathlib import Path
from typing import Any, Literal
from urllib.parse import urlparse

import numpy as np

from amber_ladder.core.planning import Reach
from amber_ladder.devices.gcode_rail import GcodeRail
from amber_ladder.devices.protocols import Camera, Flash, LiveView, Rail
from amber_ladder.errors import BadInput, DeviceTrouble
from amber_ladder.formats.plan_json import Mover
from amber_ladder.settings import settings
from amber_ladder.simulated.camera import CameraSetup, SimulatedCamera
from amber_ladder.simulated.flash import SimulatedFlash
from amber_ladder.simulated.flaws import chosen_flaws
from amber_ladder.simulated.rail.eye import RailEye
from amber_ladder.simulated.rail.mechanics import Build, Truth
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.simulated.wobble import Wobble
from amber_ladder.work.shoot.allowed import check_folder, check_rail
from amber_ladder.work.shoot.orders import SIMULATED, BenchSettings
from amber_ladder.work.shoot.setup import Setup
from amber_ladder.work.shoot.views import BestView

_SCENE_OF = {
    "plant": "moss-capsule",
    "insect": "lacewing-eyes",
    "mineral": "wulfenite",
    "snow": "capped-column",
    "inclusion": "resin-gnat",
}
_SCENE_NAMED = {
    "sundew": "sundew",
    "fern": "fern-sporangia",
    "wasp": "jewel-wasp",
    "springtail": "springtail",
    "gnat": "resin-gnat",
    "garnet": "garnet",
    "fluorite": "fluorite",
    "graupel": "graupel",
}
_ROCK_S = 4.0
_FULL_RECYCLE_S = 3.0  # of a flash whose recycling the plan does not tell


@dataclass(frozen=True, slots=True)
class Optical:
    """Camera and flash as they see one stack's specimen. ``live`` is None for a camera that shows nothing.

    ``relight`` sets the simulated lamp and diffuser; those on a real bench are set by hand.
    """

    camera: Camera | None
    flash: Flash | None
    live: LiveView | None
    close: Callable[[], None]
    relight: Callable[[BenchSettings], None] = lambda _: None


def reach_for(setup: Setup, bench: BenchSettings) -> Reach:
    """Where the rail may go. The simulated rail's travel is known even where the plan does not tell it."""
    rail, built = setup.plan.rail, Build()
    simulated, free_mm = bench.rail == SIMULATED, setup.rig.working_distance_mm
    low, high = (rail.min_um, rail.max_um) if rail else (None, None)
    return Reach(
        built.min_um if simulated and low is None else low,
        built.max_um if simulated and high is None else high,
        setup.plan.near_um if free_mm else None,
        free_mm * 1e3 if free_mm else None,
    )


def check_practice(bench: BenchSettings) -> None:
    """Raises BadInput for a fault or a scene that does not exist."""
    chosen_flaws(bench.flaws)
    if bench.scene:
        specimen_for(bench.scene)


def devices_of(
    bench: BenchSettings,
    *,
    by: Mover | Literal["hand"] = "rail",
    simulated_hand: bool = False,
    flash: Flash | None = None,
    best: BestView | None = None,
    stage_um: tuple[float, float] | None = None,
) -> dict[str, Any]:
    """How the bench is configured, as it is kept with a take: what moved, what exposed, and which faults were on.

    Faults touch simulated devices alone. The power of the ``flash`` holds for every frame: it is not changed meanwhile.
    ``best`` is the best angle that was found for a place that mirrors, ``stage_um`` where a stage said it was.
    """
    by_hand = by == "hand"
    rail = bench.rail if by == "rail" else None
    camera = "simulated hand" if simulated_hand else "folder" if by_hand else bench.camera
    simulated = SIMULATED in (rail, camera) or simulated_hand
    return {
        "by": by,
        "rail": rail,
        "camera": camera,
        "flash_power": flash.power if flash and flash.on else None,
        "flash_heads": dict(flash.heads) if flash and flash.on and len(set(flash.heads.values())) > 1 else None,
        "lamp_deg": bench.lamp_at_deg if flash else None,
        "diffused": bench.diffused if flash and bench.camera == SIMULATED else None,
        "angle_noted": best.note or None if best else None,
        "stage_um": list(stage_um) if stage_um else None,
        "folder": str(watched_folder(bench)) if by != "rail" or camera != SIMULATED else None,
        "flaws": list(bench.flaws) if simulated else [],
    }


def scene_for(setup: Setup, bench: BenchSettings) -> str:
    """What lies under the simulated camera: what was chosen, else what the label names, else one of its kind."""
    return bench.scene or scene_like(setup.kind, setup.label)


def scene_like(kind: str, label: str) -> str:
    """The simulated specimen that comes nearest to a label, or to a kind."""
    named = [word for word in _SCENE_NAMED if word in label.lower()]
    return _SCENE_NAMED[named[0]] if named else _SCENE_OF.get(kind, "moss-capsule")


def rail_address(bench: BenchSettings) -> str:
    """Where the rail is reached. Raises DeviceTrouble when the simulated one was not started."""
    if bench.rail != SIMULATED:
        try:
            check_rail(bench.rail)  # one that an earlier version or other settings allowed is not opened either
        except BadInput as error:
            raise DeviceTrouble(str(error)) from error
        return bench.rail
    port = settings().rail_port
    if port is None:
        raise DeviceTrouble("the simulated rail does not run: start the station with ./ladder start or ./ladder demo")
    return f"socket://127.0.0.1:{port}"


def open_rail(bench: BenchSettings) -> GcodeRail:
    """The rail; a simulated one is built with the flaws that are switched on. Raises DeviceTrouble."""
    address = rail_address(bench)
    rail = GcodeRail(address)
    if bench.rail == SIMULATED:
        eye = RailEye(_port(address))
        changes = {key: value for flaw in chosen_flaws(bench.flaws) for key, value in flaw.rail.items()}
        usual = Build()
        fresh = {name: getattr(usual, name) for name in ("click_um", "backlash_um", "shake_um", "shake_dies_s")}
        eye.rebuild(**{**fresh, "acceleration_um_s2": usual.acceleration_um_s2, "trouble": None, **changes})
        eye.close()
    return rail


def open_hand_camera(setup: Setup, bench: BenchSettings) -> Camera:
    """A simulated camera in somebody's hand, that rocks through the depth."""
    ladder, began = setup.ladder, time.monotonic()
    low, high = ladder.positions_um[0], ladder.positions_um[-1]
    unsteady = np.random.default_rng()

    def rocking() -> tuple[Truth, Build]:
        share = 0.5 - 0.5 * cos(2.0 * pi * (time.monotonic() - began) / _ROCK_S)
        at = low + share * (high - low) + unsteady.normal(0.0, 0.03 * (high - low))
        return Truth(
            float(at), False, abs(float(unsteady.normal(0.0, 1.0))), float(unsteady.uniform(0.0, 6.3))
        ), Build()

    return open_camera(setup, bench, SimulatedFlash(0.0), rocking, handheld=True)


def open_optical(setup: Setup, bench: BenchSettings, rail: Callable[[], Rail], power: float) -> Optical:
    """Camera and flash for a stack. The simulated camera looks at where the simulated carriage really is."""
    if bench.camera != "simulated":
        return Optical(None, None, None, lambda: None)
    timing = setup.plan.timing
    flash = SimulatedFlash(_FULL_RECYCLE_S if timing.recycle_s <= 0 else timing.recycle_s)
    flash.power = power
    # The simulated rail may be starting still; its eye is opened when it is first needed.
    eye = RailEye(_port(rail_address(bench))) if bench.rail == SIMULATED else _eye(rail_address(bench))
    look = eye.truth if eye else lambda: (Truth(rail().position_um(), False, 0.0, 0.0), Build())
    camera = open_camera(setup, bench, flash, look)

    def close() -> None:
        camera.close()
        if eye:
            eye.close()

    def relight(now: BenchSettings) -> None:
        camera.diffused, camera.lamp_deg = now.diffused, now.lamp_at_deg

    relight(bench)
    return Optical(camera, flash, camera, close, relight)


def open_camera(
    setup: Setup,
    bench: BenchSettings,
    flash: SimulatedFlash,
    look: Callable[[], tuple[Truth, Build]],
    *,
    handheld: bool = False,
) -> SimulatedCamera:
    """A simulated camera over a stack's specimen; ``look`` tells where focus really is and how the stand swings."""
    flaws = chosen_flaws(bench.flaws)
    wobble = Wobble(**{key: value for flaw in flaws for key, value in flaw.wobble.items()})  # type: ignore[arg-type]
    if handheld:
        wobble = replace(wobble, drift_px=max(wobble.drift_px, 4.0), turn_deg=max(wobble.turn_deg, 0.05))
    flash.tired = wobble.tired
    seen = CameraSetup(
        scene_for(setup, bench),
        setup.optics,
        setup.rig.to_core().sensor,
        near_um=bench.lies_um.get(setup.lies_as, setup.plan.near_um),
        exposure_s=setup.plan.timing.exposure_s,
        transfer_s=setup.plan.timing.transfer_s,
        seed=setup.seed,
        wobble=wobble,
        restless=frozenset(flaw.specimen for flaw in flaws if flaw.specimen),
        aside_um=_field_um(setup, bench),
    )
    camera = SimulatedCamera(seen, flash, look)
    if handheld:
        flash.power = min(camera.right_power, 1.0)
    return camera


def _field_um(setup: Setup, bench: BenchSettings) -> tuple[float, float]:
    """Where on the simulated specimen the field's middle lies: its own middle where the stage says 0.

    By hand a tile comes to where it is planned, as well as a hand can.
    """
    if bench.stage == "rail":
        eye = _eye(rail_address(bench))
        at = eye.stage_um() if eye else None
        if eye:
            eye.close()
        return at or (0.0, 0.0)
    return setup.tile.by_hand_um(setup.seed) if setup.tile else (0.0, 0.0)


def watched_folder(bench: BenchSettings) -> Path:
    """The folder that is watched; the one in the data folder unless another is named. Raises BadInput."""
    folder = Path(bench.folder) if bench.folder else settings().data / "incoming"
    if bench.folder:
        check_folder(folder)
    else:
        folder.mkdir(parents=True, exist_ok=True)
    return folder


def _port(address: str) -> int:
    return urlparse(address).port or 0


def _eye(address: str) -> RailEye | None:
    """The eye of a simulated rail that somebody started by hand; None for any other rail."""
    parts = urlparse(address)
    if parts.scheme != "socket" or parts.port is None or parts.hostname != "127.0.0.1":
        return None
    eye = RailEye(parts.port)
    try:
        eye.truth()
    except DeviceTrouble:
        eye.close()
        return None  # a rail behind a socket that is no simulation
    return eye
