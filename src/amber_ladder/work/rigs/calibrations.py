"""Calibrations of a rig: its scale from a ruling or two points, and the focus travel of a body's units from a ramp."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from math import hypot
from pathlib import Path
from typing import Annotated, Any, Literal

import cv2
from pydantic import Field, StringConstraints

from amber_ladder.core.frames import Progress
from amber_ladder.core.measuring import Ruling, combined, measure_ramp, rounded
from amber_ladder.core.optics import LARGEST_DEVIATION, magnification_is_measured, resolve
from amber_ladder.errors import BadInput, Conflict, UnreadablePicture
from amber_ladder.formats.apart import examine_apart
from amber_ladder.formats.files import plain_name
from amber_ladder.formats.pictures import SUFFIXES, PictureInfo, StoredFrames, examine, natural_key, read_picture
from amber_ladder.formats.rig_json import MeasuredValuesJson, RigJson, Strict
from amber_ladder.settings import settings
from amber_ladder.store import rigs, stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Calibration, Rig, Task, now
from amber_ladder.store.queue import enqueue
from amber_ladder.work.journal import added_and_changed, changing, state
from amber_ladder.work.long_work import LongWork
from amber_ladder.work.on_disk.calibrating import ramp_json, ruling_in, scale_json, stated_scale
from amber_ladder.work.practice import targets
from amber_ladder.work.rigs.trains import change
from amber_ladder.work.shoot.run import Taken
from amber_ladder.work.stack.views import TaskView, task_view

_POINTING_PX = 1.0  # assumed: how closely a hand sets a point on a line, standard uncertainty
_UNLIKELY_DEVIATION = 0.2  # farther from nominal a scale is more often a mistyped distance than a scale
_PREVIEW_PX = 1600

Sha256 = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
Tolerance = Annotated[float, Field(ge=0, le=20, allow_inf_nan=False, description="%")]
Coordinate = Annotated[float, Field(ge=-1e5, le=1e5, allow_inf_nan=False)]


class KeptPicture(Strict):
    """A picture among the originals."""

    name: Annotated[str, Field(max_length=255)]
    sha256: Sha256
    suffix: Literal[".jpg", ".png", ".tif"]


class ScaleEntry(Strict):
    """The picture of a ruling, and the true distance of its lines; or of two points that were set by hand.

    ``tolerance_percent`` is how true that distance is, as its maker says; without it a usual one is assumed.
    """

    picture: KeptPicture
    length_um: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False, description="µm")]
    tolerance_percent: Tolerance | None = None
    despite_deviation: Annotated[bool, Field(description="use it though it lies far from nominal")] = False
    points: Annotated[tuple[Coordinate, Coordinate, Coordinate, Coordinate], Field()] | None = None


class RampEntry(Strict):
    """A series of a ramp: its slope and how true that is, and how many units of the body lie between two frames."""

    slope_deg: Annotated[float, Field(ge=1, le=80, allow_inf_nan=False)]
    slope_tolerance_deg: Annotated[float, Field(ge=0, le=20, allow_inf_nan=False)] | None = None
    units_per_frame: Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False)] = 1.0
    unit: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)] = "step"
    simulated_unit_um: Annotated[float, Field(gt=0, le=500, allow_inf_nan=False)] | None = None


@dataclass(frozen=True, slots=True)
class ScalePicture:
    """A picture that was brought for a scale, and the ruling that was found in it, or why none was."""

    picture: KeptPicture
    width_px: int
    height_px: int
    ruling: Ruling | None
    reason: str | None
    nominal_um_per_px: float


@dataclass(frozen=True, slots=True)
class CalibrationView:
    """One calibration. ``result`` is as the command line prints it, with what it means for the rig."""

    id: int
    rig_id: int
    rig_version: int
    kind: Literal["scale", "focus_units"]
    method: str
    entry: dict[str, Any]
    pictures: list[dict[str, Any]]
    result: dict[str, Any] | None
    task: TaskView | None
    set_aside_at: datetime | None
    made_at: datetime


def of_rig(rig_id: int) -> list[CalibrationView]:
    """A rig's calibrations, newest first. Raises NotFound."""
    with transaction() as session:
        return [_view(one) for one in reversed(rigs.get(session, rig_id).calibrations)]


def bring_scale_picture(rig_id: int, name: str, chunks: Iterable[bytes]) -> ScalePicture:
    """Keep a picture and look for a ruling in it. Raises BadInput for a picture that is not of this rig, NotFound."""
    definition = _definition(rig_id)
    store = FrameStore(settings().data)
    received = store.receive(chunks)
    try:
        name = plain_name(name)
        info = examine_apart(received.path, name)
        _check_size(definition, info, name)
        suffix = SUFFIXES[info.format]
        path = store.adopt(received, suffix)
    finally:
        store.drop(received)
    picture = KeptPicture(name=name, sha256=received.sha256, suffix=suffix)  # type: ignore[arg-type]
    try:
        ruling, reason = _ruling_kept(path, name), None
    except BadInput as error:
        ruling, reason = None, str(error)
    nominal = resolve(definition.to_core())
    nominal_um = definition.sensor.pixel_um / nominal.computed_magnification
    return ScalePicture(picture, info.width_px, info.height_px, ruling, reason, nominal_um)


def shoot_ruled_slide(rig_id: int) -> ScalePicture:
    """Shoot the ruled slide on the simulated bench with this rig, and look for its ruling. Raises NotFound."""
    slide = targets.shoot_ruled_slide(_definition(rig_id), seed=rig_id)
    return bring_scale_picture(rig_id, "ruled-slide.jpg", [slide])


def scale_of(rig_id: int, entry: ScaleEntry) -> dict[str, Any]:
    """The scale as it would be saved. Raises BadInput, NotFound."""
    return _scale(_definition(rig_id), entry)


def save_scale(rig_id: int, entry: ScaleEntry) -> CalibrationView:
    """Measure the scale and let the rig work with it from now on.

    Raises BadInput, NotFound, and Conflict for one that lies far from nominal and that nobody has vouched for.
    """
    with transaction() as session:
        rig = rigs.get(session, rig_id)
        definition = RigJson.model_validate(rig.definition)
        result = _scale(definition, entry)
        if result["must_be_confirmed"] and not entry.despite_deviation:
            raise Conflict(
                f"{result['um_per_px']:.4g} µm/px is {100 * result['deviation']:+.0f} % from what the parts compute to "
                f"({result['nominal_um_per_px']:.4g} µm/px): check the true distance and the picture, or say that it "
                "is right"
            )
        calibration = Calibration(
            rig_id=rig.id,
            rig_version=rig.version,
            kind="scale",
            method="ruling" if entry.points is None else "two points",
            entry=entry.model_dump(mode="json"),
            pictures=[entry.picture.model_dump()],
            result=result,
        )
        before = state(rig)
        session.add(calibration)
        _use_scale(rig, definition, result["magnification"], result["u_magnification"])
        rigs.save(session, rig)
        if rig.version != len(rig.versions):  # measured again to the same digits, the rig is as it was
            rigs.keep_version(session, rig)
        added_and_changed(session, f"scale of {rig.name} measured", calibration, rig, before)
        return _view(calibration)


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
        view = _view(calibration)
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
            _check_size(RigJson.model_validate(calibration.rig.definition), info, name, turned=False)
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
        view = _view(calibration)
    assert view.task is not None
    enqueue(view.task.id)
    return view


def set_aside(calibration_id: int, *, aside: bool) -> list[CalibrationView]:
    """Set a calibration aside, or let it count again; the rig works with the newest scale that counts.

    A magnification that somebody typed in stays. Raises NotFound, and Conflict for one without a result.
    """
    with transaction() as session:
        calibration = rigs.get_calibration(session, calibration_id, locked=True)
        if calibration.result is None:
            raise Conflict("this calibration has no result: discard it instead")
        rig, definition = calibration.rig, RigJson.model_validate(calibration.rig.definition)
        words = f"calibration of {rig.name} {'set aside' if aside else 'counts again'}"
        with changing(session, words, calibration, rig):
            calibration.set_aside_at = now() if aside else None
            scales = [(one, one.result) for one in rig.calibrations if one.kind == "scale" and one.result]
            present = definition.measured.magnification if definition.measured else None
            if calibration.kind == "scale" and present in (None, *(result["magnification"] for _, result in scales)):
                newest = next((result for one, result in reversed(scales) if one.set_aside_at is None), None)
                # Those of earlier versions did not keep the uncertainty of the magnification.
                u = newest.get("u_magnification") if newest else None
                _use_scale(rig, definition, newest["magnification"] if newest else None, u)
                rigs.save(session, rig)
                if rig.version != len(rig.versions):
                    rigs.keep_version(session, rig)
        rig_id = rig.id
    return of_rig(rig_id)


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


def picture_preview(sha256: str, suffix: str) -> bytes:
    """A JPEG of a calibration's picture, at most 1600 px wide or high. Raises NotFound."""
    picture = read_picture(FrameStore(settings().data).original(sha256, suffix))
    if picture.dtype != "uint8":
        picture = (picture >> 8).astype("uint8")
    shrink = min(1.0, _PREVIEW_PX / max(picture.shape[:2]))
    if shrink < 1.0:
        picture = cv2.resize(picture, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    return bytes(cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 90])[1])


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


def _definition(rig_id: int) -> RigJson:
    with transaction() as session:
        return RigJson.model_validate(rigs.get(session, rig_id).definition)


def _check_size(definition: RigJson, info: PictureInfo, name: str, *, turned: bool = True) -> None:
    """Only whole pictures tell the scale of the sensor's pixels; frames of a series must also lie alike."""
    sensor = definition.sensor
    size, whole = (info.width_px, info.height_px), (sensor.width_px, sensor.height_px)
    if size != whole and not (turned and size == whole[::-1]):
        raise UnreadablePicture(
            name,
            f"is {info.width_px} × {info.height_px} px, this rig's sensor {sensor.width_px} × {sensor.height_px}: "
            "bring the whole picture in full size, or correct the rig",
        )


def _scale(definition: RigJson, entry: ScaleEntry) -> dict[str, Any]:
    """The scale that a picture gives, and what it means for the rig. Raises BadInput."""
    path = FrameStore(settings().data).original(entry.picture.sha256, entry.picture.suffix)
    _check_size(definition, examine(path, entry.picture.name), entry.picture.name)
    if entry.points is None:
        result = scale_json(_ruling_kept(path, entry.picture.name), entry.length_um, entry.tolerance_percent)
    else:
        result = _two_points(entry.points, entry.length_um, entry.tolerance_percent)
    exact = definition.sensor.pixel_um / result["um_per_px"]
    magnification, u_magnification = rounded(exact, exact * result["u_um_per_px"] / result["um_per_px"])
    nominal = definition.sensor.pixel_um / resolve(definition.to_core()).computed_magnification
    deviation = result["um_per_px"] / nominal - 1.0
    return {
        **result,
        "nominal_um_per_px": nominal,
        "deviation": deviation,
        "deviation_is_large": abs(deviation) > LARGEST_DEVIATION,
        "must_be_confirmed": abs(deviation) > _UNLIKELY_DEVIATION,
        "magnification": magnification,
        "u_magnification": u_magnification,
    }


@lru_cache(maxsize=8)
def _ruling_kept(path: Path, name: str) -> Ruling:
    # An original never changes, and its ruling is asked for at every figure that is typed.
    return ruling_in(path, name)


def _two_points(
    points: tuple[float, float, float, float], length_um: float, tolerance_percent: float | None
) -> dict[str, Any]:
    distance = hypot(points[2] - points[0], points[3] - points[1])
    if distance < 20.0:
        raise BadInput(
            "the two points lie less than 20 px apart: set them as far apart as the picture allows", field="points"
        )
    return {
        **stated_scale(length_um / distance, _POINTING_PX * 2.0**0.5 / distance, tolerance_percent),
        "distance_px": distance,
        "assumed": f"each point set to {_POINTING_PX:g} px",
    }


def _use_scale(rig: Rig, definition: RigJson, magnification: float | None, u_magnification: float | None) -> None:
    before = definition.measured or MeasuredValuesJson()
    measured = before.model_copy(update={"magnification": magnification, "u_magnification": u_magnification})
    changed = definition.model_copy(update={"measured": measured})
    change(rig, rig.name, changed.model_dump(mode="json", exclude_none=True), rig.parts)


def _relative_scale_uncertainty(definition: RigJson) -> float:
    measured = definition.measured
    if measured is None or not measured.magnification:
        return 0.0
    return (measured.u_magnification or 0.0) / measured.magnification


def _view(one: Calibration) -> CalibrationView:
    return CalibrationView(
        one.id, one.rig_id, one.rig_version, one.kind, one.method, one.entry, one.pictures, one.result,  # type: ignore[arg-type]
        task_view(one.task) if one.task else None, one.set_aside_at, one.made_at,
    )  # fmt: skip


CALIBRATING = LongWork("calibrate", {"shoot": (0.0, 0.8), "register": (0.8, 0.2)}, by_worker=calibrate)
