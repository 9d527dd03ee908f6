"""Calibrations of a rig: all that was measured on it, and which of it counts."""

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Any, Literal

import cv2
from pydantic import Field, StringConstraints

from amber_ladder.core.measuring import drift_of
from amber_ladder.errors import Conflict, UnreadablePicture
from amber_ladder.formats.pictures import PictureInfo, read_picture
from amber_ladder.formats.rig_json import MeasuredValuesJson, RigJson, Strict
from amber_ladder.settings import settings
from amber_ladder.store import rigs
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Calibration, Rig
from amber_ladder.work.journal import changing
from amber_ladder.work.rigs.trains import change
from amber_ladder.work.stack.views import TaskView, task_view

_PREVIEW_PX = 1600


Sha256 = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]


class KeptPicture(Strict):
    """A picture among the originals."""

    name: Annotated[str, Field(max_length=255)]
    sha256: Sha256
    suffix: Literal[".jpg", ".png", ".tif"]


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
        return [calibration_view(one) for one in reversed(rigs.get(session, rig_id).calibrations)]


@dataclass(frozen=True, slots=True)
class DriftView:
    """Whether the scales that count agree: see core.measuring.Drift. ``apart`` is the calibration that departs most."""

    verdict: Literal["few", "steady", "drifts", "jumps"]
    scales: int
    per_month: float | None
    u_per_month: float | None
    apart: int | None


def drift_of_rig(rig_id: int) -> DriftView:
    """Judge a rig's scale over all its calibrations that count. Raises NotFound.

    What all share, as the uncertainty of one ruled slide, makes them look more alike than they need: drift is rather
    overlooked than invented.
    """
    with transaction() as session:
        counted = [(one, one.result) for one in rigs.get(session, rig_id).calibrations
                   if one.kind == "scale" and one.result and one.set_aside_at is None]  # fmt: skip
        days = [one.made_at.timestamp() / 86_400.0 for one, _ in counted]
        found = drift_of(days, [float(told["um_per_px"]) for _, told in counted],
                         [float(told["u_um_per_px"]) for _, told in counted])  # fmt: skip
        apart = None if found.apart is None else counted[found.apart][0].id
        return DriftView(found.verdict, len(counted), found.per_month, found.u_per_month, apart)


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
                use_scale(rig, definition, newest["magnification"] if newest else None, u)
                rigs.save(session, rig)
                if rig.version != len(rig.versions):
                    rigs.keep_version(session, rig)
        rig_id = rig.id
    return of_rig(rig_id)


def picture_preview(sha256: str, suffix: str) -> bytes:
    """A JPEG of a calibration's picture, at most 1600 px wide or high. Raises NotFound."""
    picture = read_picture(FrameStore(settings().data).original(sha256, suffix))
    if picture.dtype != "uint8":
        picture = (picture >> 8).astype("uint8")
    shrink = min(1.0, _PREVIEW_PX / max(picture.shape[:2]))
    if shrink < 1.0:
        picture = cv2.resize(picture, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA)
    return bytes(cv2.imencode(".jpg", picture[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 90])[1])


def definition_of(rig_id: int) -> RigJson:
    """A rig as it is now. Raises NotFound."""
    with transaction() as session:
        return RigJson.model_validate(rigs.get(session, rig_id).definition)


def check_size(definition: RigJson, info: PictureInfo, name: str, *, turned: bool = True) -> None:
    """Only whole pictures tell the scale of the sensor's pixels; frames of a series must also lie alike."""
    sensor = definition.sensor
    size, whole = (info.width_px, info.height_px), (sensor.width_px, sensor.height_px)
    if size != whole and not (turned and size == whole[::-1]):
        raise UnreadablePicture(
            name,
            f"is {info.width_px} × {info.height_px} px, this rig's sensor {sensor.width_px} × {sensor.height_px}: "
            "bring the whole picture in full size, or correct the rig",
        )


def use_scale(rig: Rig, definition: RigJson, magnification: float | None, u_magnification: float | None) -> None:
    """Let a rig work with a measured magnification, or with None by what its parts compute to."""
    before = definition.measured or MeasuredValuesJson()
    measured = before.model_copy(update={"magnification": magnification, "u_magnification": u_magnification})
    changed = definition.model_copy(update={"measured": measured})
    change(rig, rig.name, changed.model_dump(mode="json", exclude_none=True), rig.parts)


def calibration_view(one: Calibration) -> CalibrationView:
    """A calibration as the pages see it."""
    return CalibrationView(
        one.id, one.rig_id, one.rig_version, one.kind, one.method, one.entry, one.pictures, one.result,  # type: ignore[arg-type]
        task_view(one.task) if one.task else None, one.set_aside_at, one.made_at,
    )  # fmt: skip
