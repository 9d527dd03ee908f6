"""The focus travel of a body's units, from a series of a ramp."""

from collections.abc import Iterable
from typing import Annotated

from pydantic import Field, StringConstraints

from amber_ladder.core.frames import Progress
from amber_ladder.core.measuring import combined, measure_ramp, rounded
from amber_ladder.core.optics import magnification_is_measured, resolve
from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.apart import examine_apart
from amber_ladder.formats.files import plain_name
from amber_ladder.formats.pictures import SUFFIXES, PictureInfo, StoredFrames, examine, natural_key
from amber_ladder.formats.rig_json import RigJson, Strict
from amber_ladder.settings import settings
from amber_ladder.store import rigs, stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Calibration, Task
from amber_ladder.store.queue import enqueue
from amber_ladder.work.long_work import LongWork
from amber_ladder.work.on_disk.calibrating import ramp_json
from amber_ladder.work.practice import targets
from amber_ladder.work.rigs.calibrations import (
    CalibrationView,
    KeptPicture,
    calibration_view,
    check_size,
)
from amber_ladder.work.shoot.run import Taken


class RampEntry(Strict):
    """A series of a ramp: its slope and how true that is, and how many units of the body lie between two frames."""

    slope_deg: Annotated[float, Field(ge=1, le=80, allow_inf_nan=False)]
    slope_tolerance_deg: Annotated[float, Field(ge=0, le=20, allow_inf_nan=False)] | None = None
    units_per_frame: Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False)] = 1.0
    unit: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)] = "step"
    simulated_unit_um: Annotated[float, Field(gt=0, le=500, allow_inf_nan=False)] | None = None


def begin_ramp(rig_id: int, entry: RampEntry) -> CalibrationView:
    """Begin a series of a ramp: shot at once on the simulated bench if asked, else frames are waited for."""
    with transaction() as session:
        rig = rigs.get(session, rig_id)
        task = Task(kind="calibrate") if entry.simulated_unit_um else None
        calibration = Calibration(
            rig_id=rig.id,
            rig_version=rig.version,
            kind="focus_units",
            method="ramp",
            entry=entry.model_dump(mode="json"),
            pictures=[],
            task=task,
        )
        session.add(calibration)
        session.flush()
        view = calibration_view(calibration)
    if view.task:
        enqueue(view.task.id)
    return view


def add_ramp_frame(calibration_id: int, name: str, chunks: Iterable[bytes]) -> KeptPicture:
    """Keep one frame of the series. Raises UnreadablePicture, Conflict, NotFound, StorageFull."""
    name = plain_name(name)
    store = FrameStore(settings().data)
    received = store.receive(chunks)
    try:
        info = examine_apart(received.path, name)
        with transaction() as session:
            calibration = rigs.get_calibration(session, calibration_id, locked=True)
            if calibration.task is not None:
                raise Conflict("this series is complete: begin another for more frames")
            check_size(RigJson.model_validate(calibration.rig.definition), info, name, turned=False)
            store.adopt(received, SUFFIXES[info.format])
            picture = KeptPicture(name=name, sha256=received.sha256, suffix=SUFFIXES[info.format])  # type: ignore[arg-type]
            others = [one for one in calibration.pictures if one["name"] != name]
            calibration.pictures = sorted([*others, picture.model_dump()], key=lambda one: natural_key(one["name"]))
            return picture
    finally:
        store.drop(received)


def measure(calibration_id: int) -> CalibrationView:
    """Queue the measuring of a series that was brought. Raises Conflict, NotFound."""
    with transaction() as session:
        calibration = rigs.get_calibration(session, calibration_id, locked=True)
        if calibration.task is not None and calibration.task.state in ("waiting", "running"):
            raise Conflict("this series is being measured already")
        if len(calibration.pictures) < 4:
            raise BadInput(f"{len(calibration.pictures)} frames are too few for a ramp: bring at least 4")
        calibration.task = Task(kind="calibrate")
        session.flush()
        view = calibration_view(calibration)
    assert view.task is not None
    enqueue(view.task.id)
    return view


def calibrate(task_id: int, progress: Progress) -> None:
    """The worker's part: shoot the ramp if it is a simulated one, then measure it."""
    store = FrameStore(settings().data)
    with transaction() as session:
        calibration = rigs.calibration_of(session, stacks.get_task(session, task_id))
        number, entry = calibration.id, RampEntry.model_validate(calibration.entry)
        definition = RigJson.model_validate(calibration.rig.definition)
        pictures = [KeptPicture.model_validate(one) for one in calibration.pictures]
    if entry.simulated_unit_um and not pictures:
        pictures = _shoot_ramp(store, definition, entry, number, progress)
    optics = resolve(definition.to_core())
    paths = [store.original(one.sha256, one.suffix) for one in pictures]
    info = examine(paths[0], pictures[0].name)
    names = [one.name for one in pictures]
    frames = StoredFrames(paths, names, PictureInfo("", info.width_px, info.height_px, info.bits, None))
    ramp = measure_ramp(frames, slope_deg=entry.slope_deg, um_per_px=optics.pixel_um, progress=progress)
    result = ramp_json(ramp, frames.names, slope_deg=entry.slope_deg, slope_tolerance_deg=entry.slope_tolerance_deg)
    relative = combined(result["u_um_per_frame"] / ramp.um_per_frame, _relative_scale_uncertainty(definition))
    um_per_unit = ramp.um_per_frame / entry.units_per_frame
    um_per_unit, u_um_per_unit = rounded(um_per_unit, um_per_unit * relative)
    result |= {
        "um_per_unit": um_per_unit,
        "u_um_per_unit": u_um_per_unit,
        "scale_from": "measured" if magnification_is_measured(definition.to_core()) else "nominal",
    }
    with transaction() as session:
        calibration = rigs.get_calibration(session, number)
        calibration.pictures = [one.model_dump() for one in pictures]
        calibration.result = result


def _shoot_ramp(
    store: FrameStore, definition: RigJson, entry: RampEntry, seed: int, progress: Progress
) -> list[KeptPicture]:
    kept = list[KeptPicture]()

    def keep(taken: Taken) -> None:
        received = store.receive([taken.exposure.content])
        store.adopt(received, ".jpg")
        kept.append(KeptPicture(name=taken.shot.name, sha256=received.sha256, suffix=".jpg"))

    def told(done: int, total: int) -> None:
        progress("shoot", done, total)

    step_um = entry.units_per_frame * (entry.simulated_unit_um or 1.0)
    targets.shoot_ramp(definition, step_um, seed=seed, keep=keep, progress=told)
    return kept


def _relative_scale_uncertainty(definition: RigJson) -> float:
    measured = definition.measured
    if measured is None or not measured.magnification:
        return 0.0
    return (measured.u_magnification or 0.0) / measured.magnification


CALIBRATING = LongWork("calibrate", {"shoot": (0.0, 0.8), "register": (0.8, 0.2)}, by_worker=calibrate)
