"""Rigs, parts and calibrations."""

from typing import Annotated, Any

from fastapi import APIRouter, Path, Query, Request, Response

from amber_ladder.api.bodies import BODY, streamed
from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import rigs
from amber_ladder.work.rigs import calibrations, parts, ramps, scales

router = APIRouter(tags=["rigs"], responses=RESPONSES)


@router.get("/rigs")
def shelf() -> list[rigs.RigView]:
    """All rigs."""
    return rigs.shelf()


@router.post("/rigs", status_code=201)
def add_rig(entry: rigs.RigEntry) -> rigs.RigView:
    """Put a rig on the shelf."""
    return rigs.add_rig(entry)


@router.put("/rigs/{rig_id}")
def edit_rig(rig_id: int, entry: rigs.RigEntry, seen: int | None = None) -> rigs.RigView:
    """Change a rig."""
    return rigs.edit_rig(rig_id, entry, seen=seen)


@router.post("/rigs/preview")
def try_out_rig(entry: rigs.RigEntry, medium_index: Annotated[float, Query(ge=1, le=3)] = 1.0) -> rigs.RigPreview:
    """What a rig would do."""
    return rigs.try_out(entry, medium_index)


@router.put("/rigs/{rig_id}/bench")
def put_on_bench(rig_id: int, entry: rigs.BenchEntry) -> rigs.RigView:
    """This rig stands on the bench now."""
    return rigs.put_on_bench(rig_id, entry)


@router.get("/rigs/{rig_id}/versions")
def versions(rig_id: int) -> list[rigs.RigVersionView]:
    """A rig as it was."""
    return rigs.versions(rig_id)


@router.get("/parts")
def parts_shelf() -> list[parts.PartView]:
    """All parts."""
    return parts.shelf()


@router.post("/parts", status_code=201)
def add_part(entry: parts.PartEntry) -> parts.PartView:
    """Put a part on the shelf."""
    return parts.add_part(entry)


@router.put("/parts/{part_id}")
def edit_part(part_id: int, entry: parts.PartEntry, seen: int | None = None) -> parts.PartView:
    """Correct a part."""
    return parts.edit_part(part_id, entry, seen=seen)


@router.get("/rigs/{rig_id}/calibrations")
def rig_calibrations(rig_id: int) -> list[calibrations.CalibrationView]:
    """A rig's calibrations, newest first."""
    return calibrations.of_rig(rig_id)


@router.put("/rigs/{rig_id}/scale-pictures/{name}", status_code=201, openapi_extra=BODY)
async def bring_scale_picture(rig_id: int, name: str, request: Request) -> scales.ScalePicture:
    """Keep a picture and look for a ruling in it; the body is the file."""
    return await streamed(request, lambda chunks: scales.bring_scale_picture(rig_id, name, chunks))


@router.post("/rigs/{rig_id}/scale-pictures", status_code=201)
def shoot_ruled_slide(rig_id: int) -> scales.ScalePicture:
    """Shoot the ruled slide on the simulated bench, and look for its ruling."""
    return scales.shoot_ruled_slide(rig_id)


@router.get("/rigs/{rig_id}/calibrations/drift")
def drift(rig_id: int) -> calibrations.DriftView:
    """Whether a rig's scale has stayed the same."""
    return calibrations.drift_of_rig(rig_id)


@router.post("/rigs/{rig_id}/calibrations/scale/preview")
def scale_of(rig_id: int, entry: scales.ScaleEntry) -> dict[str, Any]:
    """The scale as it would be saved; nothing is."""
    return scales.scale_of(rig_id, entry)


@router.post("/rigs/{rig_id}/calibrations/scale", status_code=201)
def save_scale(rig_id: int, entry: scales.ScaleEntry) -> calibrations.CalibrationView:
    """Measure the scale and use it."""
    return scales.save_scale(rig_id, entry)


@router.post("/rigs/{rig_id}/calibrations/ramp", status_code=201)
def begin_ramp(rig_id: int, entry: ramps.RampEntry) -> calibrations.CalibrationView:
    """Begin a series of a ramp."""
    return ramps.begin_ramp(rig_id, entry)


@router.put("/calibrations/{calibration_id}/frames/{name}", status_code=201, openapi_extra=BODY)
async def add_ramp_frame(calibration_id: int, name: str, request: Request) -> calibrations.KeptPicture:
    """Keep one frame of the series; the body is the file."""
    return await streamed(request, lambda chunks: ramps.add_ramp_frame(calibration_id, name, chunks))


@router.post("/calibrations/{calibration_id}/measure")
def measure(calibration_id: int) -> calibrations.CalibrationView:
    """Measure a series that was brought."""
    return ramps.measure(calibration_id)


@router.put("/calibrations/{calibration_id}/set-aside")
def set_aside(calibration_id: int) -> list[calibrations.CalibrationView]:
    """Set a calibration aside: it counts no more."""
    return calibrations.set_aside(calibration_id, aside=True)


@router.delete("/calibrations/{calibration_id}/set-aside")
def put_back(calibration_id: int) -> list[calibrations.CalibrationView]:
    """Let a calibration count again."""
    return calibrations.set_aside(calibration_id, aside=False)


@router.get("/calibration-pictures/{name}", response_class=Response)
def calibration_picture(name: Annotated[str, Path(pattern=r"^[0-9a-f]{64}\.(jpg|png|tif)$")]) -> Response:
    """A JPEG of a calibration's picture, which is named by its checksum."""
    content = calibrations.picture_preview(name[:64], name[64:])
    return Response(content, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=31536000, immutable"})
