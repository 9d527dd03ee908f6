"""What a plan would give: a simulated specimen of the same kind through this very rig, merged, at 1:1, at its worst."""

import base64
import threading
from dataclasses import dataclass
from functools import lru_cache
from math import log10
from typing import Annotated, Any

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import Style, merge, survey
from amber_ladder.core.optics import Optics, Rig, Sensor, resolve
from amber_ladder.core.planning import sharp_depth_um
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import FNumber, RigJson, Strict
from amber_ladder.simulated.sensor import encoded
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.simulated.view import SpecimenView
from amber_ladder.work.on_disk.planning import ladder_of, stopped
from amber_ladder.work.practice.small_frames import SmallFrames
from amber_ladder.work.shoot.opening import scene_like

_SIDE_PX = 192  # of what is shown
_FIELD_PX = 320  # of what is rendered to choose it from, and for its margins
_MARGIN_PX = 24
_CHOICE_PX = 8  # between the places it may lie
_BEYOND = 2  # rungs on either side of the patch's own depths
_MOST_RUNGS = 24
_SEED = 16

_turn = threading.Lock()  # one after the other: the bench's live view runs beside it


class LookEntry(Strict):
    """A plan on a rig, and how to look at it: at its overlap or another one, at its aperture or another one.

    ``single`` is one frame alone, in the middle of the depth, as it looks at the ladder's end.
    """

    rig: RigJson
    plan: LadderRequestJson
    kind: Annotated[str, Field(max_length=60)] = ""
    name: Annotated[str, Field(max_length=200)] = ""
    overlap: Annotated[float, Field(ge=0, le=0.9, allow_inf_nan=False)] | None = None
    marked_f_number: FNumber | None = None
    single: bool = False


@dataclass(frozen=True, slots=True)
class LookView:
    """A simulated patch at 1:1 as JPEG (base64), and what it was made with.

    ``blur_db`` is how much it differs from the same patch in focus everywhere through the sharpest of the apertures,
    as a ratio of powers: less is softer. ``off_um`` is how far the patch's middle lies from the nearest rung. What lies
    deeper or nearer than the ``frames`` reach, of a patch with very much relief, is darkened.
    """

    jpeg: str
    side_px: int
    overlap: float | None
    effective_f_number: float
    step_um: float | None
    frames: int
    off_um: float
    blur_db: float


def look(entry: LookEntry) -> LookView:
    """Render and merge one patch. Raises BadInput for what cannot be planned, or a rig without such an aperture."""
    return _kept(entry.model_dump_json())


@lru_cache(maxsize=64)
def _kept(told: str) -> LookView:
    entry = LookEntry.model_validate_json(told)
    own = entry.rig.to_core()
    rig = own if entry.marked_f_number is None else stopped(entry.rig, entry.marked_f_number).to_core()
    optics = resolve(rig)
    with _turn:
        return _single(entry, rig, own, optics) if entry.single else _merged(entry, rig, own, optics)


def _merged(entry: LookEntry, rig: Rig, own: Rig, optics: Optics) -> LookView:
    if entry.overlap is None:
        step_um = ladder_of(entry.plan, rig, optics).step_in_medium_um
    else:
        step_um = sharp_depth_um(rig, optics, entry.plan.sharpness.to_core()) * (1.0 - entry.overlap)
    view = _view(entry, optics, rig.sensor.pixel_um)
    window = _flattest(view)
    depth = view.scene.sharp_depth_um()[window]
    middle_um = float(np.median(depth))
    near_um, far_um = (float(one) for one in np.percentile(depth, (2, 98)))
    # The patch's middle lies halfway between two rungs: no place of a stack is worse off.
    before = min(int((middle_um - near_um) / step_um) + _BEYOND, _MOST_RUNGS // 2)
    after = min(int((far_um - middle_um) / step_um) + _BEYOND, _MOST_RUNGS // 2)
    at_um = [middle_um + (number + 0.5) * step_um for number in range(-before, after)]
    pictures = SmallFrames([_frame(view, one, window) for one in at_um])
    found = survey(pictures, positions_um=at_um, progress=no_progress)
    shown = np.array(merge(pictures, found, Style("auto"), progress=no_progress).composite, np.uint8)
    reached = (depth > at_um[0] - step_um) & (depth < at_um[-1] + step_um)
    shown[~reached] //= 4
    overlap = 1.0 - step_um / sharp_depth_um(rig, optics, entry.plan.sharpness.to_core())
    return _told(entry, own, optics, _cut(shown), _cut(reached), round(overlap, 4), step_um, len(at_um), 0.5 * step_um)


def _single(entry: LookEntry, rig: Rig, own: Rig, optics: Optics) -> LookView:
    ladder = ladder_of(entry.plan, own, resolve(own))
    off_um = 0.5 * (ladder.far_um - entry.plan.near_um) * ladder.medium_ratio
    view = _view(entry, optics, rig.sensor.pixel_um)
    window = _flattest(view)
    middle_um = float(np.median(view.scene.sharp_depth_um()[window]))
    shown = _cut(_frame(view, middle_um + off_um, window))
    return _told(entry, own, optics, shown, np.ones(shown.shape[:2], bool), None, None, 1, off_um)


def _told(
    entry: LookEntry, own: Rig, optics: Optics, shown: NDArray[np.uint8], reached: NDArray[np.bool_],
    overlap: float | None, step_um: float | None, frames: int, off_um: float,
) -> LookView:  # fmt: skip
    best = _view(entry, resolve(own), own.sensor.pixel_um)
    truth = _cut(np.asarray(encoded(best.sharp()[_flattest(best)]), np.uint8))
    ok, jpeg = cv2.imencode(".jpg", shown[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 92])
    assert ok
    return LookView(
        base64.b64encode(bytes(jpeg)).decode(), shown.shape[0], overlap, optics.effective_f_number, step_um, frames,
        off_um, round(_likeness_db(shown, truth, reached), 1),
    )  # fmt: skip


def _likeness_db(shown: NDArray[np.uint8], truth: NDArray[np.uint8], reached: NDArray[np.bool_]) -> float:
    """What of the truth's variations is kept, against what differs from it, in dB; both grey."""
    one, two = (
        np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.float64)[reached] for picture in (shown, truth)
    )
    return 10.0 * log10(max(float(two.var()), 1e-9) / max(float(((one - two) ** 2).mean()), 1e-9))


def _view(entry: LookEntry, optics: Optics, pixel_um: float) -> SpecimenView:
    return _built(scene_like(entry.kind, entry.name), optics, pixel_um)


@lru_cache(maxsize=6)
def _built(scene: str, optics: Optics, pixel_um: float) -> SpecimenView:
    return SpecimenView(specimen_for(scene), optics, Sensor(_FIELD_PX, _FIELD_PX, pixel_um), _SEED)


def _flattest(view: SpecimenView) -> tuple[slice, slice]:
    """Where in the field the patch lies: where the specimen's depths are closest together, so that few rungs do."""
    depth, side = view.scene.sharp_depth_um(), _SIDE_PX + 2 * _MARGIN_PX
    places = [
        (slice(y, y + side), slice(x, x + side))
        for y in range(0, depth.shape[0] - side + 1, _CHOICE_PX)
        for x in range(0, depth.shape[1] - side + 1, _CHOICE_PX)
    ]
    return min(places, key=lambda place: float(np.ptp(np.percentile(depth[place][::4, ::4], (5, 95)))))


def _frame(view: SpecimenView, focus_um: float, window: tuple[slice, slice]) -> NDArray[np.uint8]:
    return np.asarray(encoded(view.focused(focus_um, None, window)), np.uint8)


def _cut(picture: NDArray[Any]) -> NDArray[Any]:
    """The middle: aligning may have taken a pixel or two from the edges."""
    return np.ascontiguousarray(picture[_MARGIN_PX : _MARGIN_PX + _SIDE_PX, _MARGIN_PX : _MARGIN_PX + _SIDE_PX])
