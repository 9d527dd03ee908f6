"""The scale of a rig: from the picture of a ruling, or from two points that are set by hand."""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from math import hypot
from pathlib import Path
from typing import Annotated, Any

from pydantic import Field

from amber_ladder.core.measuring import Ruling, rounded
from amber_ladder.core.optics import LARGEST_DEVIATION, resolve
from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.apart import examine_apart
from amber_ladder.formats.files import plain_name
from amber_ladder.formats.pictures import SUFFIXES, examine
from amber_ladder.formats.rig_json import RigJson, Strict
from amber_ladder.settings import settings
from amber_ladder.store import rigs
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Calibration
from amber_ladder.work.journal import added_and_changed, state
from amber_ladder.work.on_disk.calibrating import ruling_in, scale_json, stated_scale
from amber_ladder.work.practice import targets
from amber_ladder.work.rigs.calibrations import (
    CalibrationView,
    KeptPicture,
    calibration_view,
    check_size,
    definition_of,
    use_scale,
)

_POINTING_PX = 1.0  # assumed: how closely a hand sets a point on a line, standard uncertainty
_UNLIKELY_DEVIATION = 0.2  # farther from nominal a scale is more often a mistyped distance than a scale


Tolerance = Annotated[float, Field(ge=0, le=20, allow_inf_nan=False, description="%")]
Coordinate = Annotated[float, Field(ge=-1e5, le=1e5, allow_inf_nan=False)]


class ScaleEntry(Strict):
    """The picture of a ruling, and the true distance of its lines; or of two points that were set by hand.

    ``tolerance_percent`` is how true that distance is, as its maker says; without it a usual one is assumed.
    """

    picture: KeptPicture
    length_um: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False, description="µm")]
    tolerance_percent: Tolerance | None = None
    despite_deviation: Annotated[bool, Field(description="use it though it lies far from nominal")] = False
    points: Annotated[tuple[Coordinate, Coordinate, Coordinate, Coordinate], Field()] | None = None


@dataclass(frozen=True, slots=True)
class ScalePicture:
    """A picture that was brought for a scale, and the ruling that was found in it, or why none was."""

    picture: KeptPicture
    width_px: int
    height_px: int
    ruling: Ruling | None
    reason: str | None
    nominal_um_per_px: float


def bring_scale_picture(rig_id: int, name: str, chunks: Iterable[bytes]) -> ScalePicture:
    """Keep a picture and look for a ruling in it. Raises BadInput for a picture that is not of this rig, NotFound."""
    definition = definition_of(rig_id)
    store = FrameStore(settings().data)
    received = store.receive(chunks)
    try:
        name = plain_name(name)
        info = examine_apart(received.path, name)
        check_size(definition, info, name)
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
    slide = targets.shoot_ruled_slide(definition_of(rig_id), seed=rig_id)
    return bring_scale_picture(rig_id, "ruled-slide.jpg", [slide])


def scale_of(rig_id: int, entry: ScaleEntry) -> dict[str, Any]:
    """The scale as it would be saved. Raises BadInput, NotFound."""
    return _scale(definition_of(rig_id), entry)


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
        use_scale(rig, definition, result["magnification"], result["u_magnification"])
        rigs.save(session, rig)
        if rig.version != len(rig.versions):  # measured again to the same digits, the rig is as it was
            rigs.keep_version(session, rig)
        added_and_changed(session, f"scale of {rig.name} measured", calibration, rig, before)
        return calibration_view(calibration)


def _scale(definition: RigJson, entry: ScaleEntry) -> dict[str, Any]:
    """The scale that a picture gives, and what it means for the rig. Raises BadInput."""
    path = FrameStore(settings().data).original(entry.picture.sha256, entry.picture.suffix)
    check_size(definition, examine(path, entry.picture.name), entry.picture.name)
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
