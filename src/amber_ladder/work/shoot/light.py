"""Setting the light: the flash and its heads, test frames alone and in pairs, and a frame with the flash off."""

import time
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import Softness, brighter_stops, compared, read_light, room_light, softness
from amber_ladder.core.optics import flash_changed_by, power_by_meter, power_setting
from amber_ladder.devices.protocols import Flash, LiveView
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.store.base import now
from amber_ladder.work.shoot.incoming import decoded
from amber_ladder.work.shoot.live import WIDTH_PX, anything_in_focus
from amber_ladder.work.shoot.opening import Optical
from amber_ladder.work.shoot.orders import FlashEntry, MeterEntry
from amber_ladder.work.shoot.place import PlaceWatch
from amber_ladder.work.shoot.views import BalanceView, DiffuserView, FlashView, MeteredView, RoomView, TestFrameView

_PLACES = (0.5, 0.25, 0.75, 0.1, 0.9, 0.4, 0.6)  # from near to far: where to look for something in focus


@dataclass(frozen=True, slots=True)
class Settled:
    """Where the rail says that it stands for a test frame, and whether the live view shows anything in focus there.

    The live view is asked, where there is one: a flash that is set wrong takes the contrast of edges that are sharp.
    """

    um: float | None
    in_focus: bool | None


class LightDesk:
    """What was found of the light for the stack that the bench is set up for. Frames of this desk belong to no take."""

    def __init__(self) -> None:
        self.test: TestFrameView | None = None
        self.room: RoomView | None = None
        self.balance: BalanceView | None = None
        self.place: PlaceWatch | None = None
        self._jpeg, self._before_jpeg = b"", b""
        self.diffuser: DiffuserView | None = None
        self._soft: Softness | None = None
        self._soft_before: Softness | None = None

    def set_flash(self, optical: Optical, entry: FlashEntry) -> None:
        """Set the flash; a test at another power tells nothing any more. Raises Conflict without one, BadInput."""
        flash = _flash(optical)
        if entry.heads is not None:
            if entry.heads.keys() != flash.heads.keys():
                names = " and ".join(flash.heads) or "none that can be set one by one"
                raise BadInput(f"the heads of this flash are {names}", field="heads")
            if max(entry.heads.values()) <= 0.0:
                raise BadInput("one head at least must give light", field="heads")
            if entry.heads != flash.heads:
                self.relit()
            flash.heads = dict(entry.heads)
        if entry.power is not None:
            if self.test and self.test.power != entry.power:
                self._forget_test()
            flash.power = entry.power
        if entry.on is not None:
            flash.on = entry.on

    def test_frame(self, optical: Optical, at: Settled) -> None:
        """Shoot a frame here and judge its light. Raises Conflict, DeviceTrouble."""
        flash = _flash(optical)
        self._jpeg = _shot(optical, flash_on=True)
        picture = decoded(self._jpeg)
        reading = read_light(picture)
        sharp = at.in_focus if at.in_focus is not None else _in_focus(picture)
        change = flash_changed_by(reading.change_stops, flash.power)
        number = self.test.number + 1 if self.test else int(time.time())
        power = change.power or (1.0 if change.missing_stops > 0 and reading.change_stops > 0 else None)
        recycle_s = flash.recycle_s(power or flash.power)
        self.test = TestFrameView(
            number, flash.power, at.um, now(), sharp, reading, change.setting,
            power if sharp else None, change.missing_stops, recycle_s,
        )  # fmt: skip
        self._soft = softness(picture)
        if self.diffuser and self._soft_before:
            before = self.diffuser.before
            self.diffuser = DiffuserView(before, compared(self._soft_before, self._soft, before.power, flash.power))

    def relit(self) -> None:
        """The light is another one now: a test frame of before tells nothing of it, nor does the heads' balance."""
        self._forget_test()
        self.balance = None

    def _forget_test(self) -> None:
        self.test = None
        if self.diffuser:
            self.diffuser = DiffuserView(self.diffuser.before, None)

    def keep_before(self) -> None:
        """Keep the last test frame: the next one is compared with it. Raises Conflict where there is none."""
        if self.test is None:
            raise Conflict("there is no test frame of this light: shoot one first")
        self._before_jpeg, self._soft_before = self._jpeg, self._soft
        self.diffuser = DiffuserView(self.test, None)

    def weigh_heads(self, optical: Optical) -> None:
        """Shoot with each of two heads alone, and tell how they are balanced. Raises Conflict, DeviceTrouble."""
        flash = _flash(optical)
        if len(flash.heads) != 2:
            raise Conflict("this flash's heads cannot be fired one by one from here: cover one, then the other")
        given, pictures = dict(flash.heads), []
        try:
            for name in given:
                flash.heads = {one: share if one == name else 0.0 for one, share in given.items()}
                pictures.append(decoded(_shot(optical, flash_on=True)))
        finally:
            flash.heads = given
        (first, second), found = given, brighter_stops(*pictures)
        even = dict(given)
        if found is not None:
            stronger = first if found > 0 else second
            even[stronger] = given[stronger] * 2.0 ** -abs(found)
        self.balance = BalanceView(first, second, found, even)

    def room_frame(self, optical: Optical) -> None:
        """Shoot with the flash off: it must be black. Raises Conflict, DeviceTrouble."""
        level = {} if self.test is None else {"flash_level": max(self.test.reading.level, 1e-3)}
        found = room_light(decoded(_shot(optical, flash_on=False)), **level)
        self.room = RoomView(found.black, found.stops)

    def picture(self) -> bytes:
        """The last test frame. Raises NotFound."""
        if not self._jpeg:
            raise NotFound("no test frame was shot yet")
        return self._jpeg

    def picture_before(self) -> bytes:
        """The test frame that was kept. Raises NotFound."""
        if not self._before_jpeg:
            raise NotFound("no test frame was kept to compare with")
        return self._before_jpeg


def metered(entry: MeterEntry, effective_f_number: float) -> MeteredView:
    """What a meter's reading asks of the flash through a rig."""
    change = power_by_meter(
        entry.f_number, entry.power, effective_f_number,
        metered_iso=entry.metered_iso, camera_iso=entry.camera_iso, taken_stops=entry.taken_stops,
    )  # fmt: skip
    return MeteredView(effective_f_number, change.stops, change.setting, change.power, change.missing_stops)


def flash_view(optical: Optical | None) -> FlashView | None:
    """The flash as it is set; None without one."""
    flash = optical.flash if optical else None
    if flash is None:
        return None
    return FlashView(
        flash.power, power_setting(flash.power), flash.on, flash.ready_in_s(), flash.recycle_s(flash.power),
        dict(flash.heads),
    )  # fmt: skip


def settle_in_focus(
    move: Callable[[float, StopToken], float | None],
    live: LiveView | None,
    near_um: float,
    far_um: float,
    stop: StopToken,
) -> Settled:
    """Go to the middle between two positions, or where nothing is in focus there to the first of some others that has

    something; back to the middle if none has. Raises Stopped, DeviceTrouble.
    """

    def go(share: float) -> float | None:
        stop.check()
        at_um = move(near_um + share * (far_um - near_um), stop)
        stop.check()
        return at_um

    if live is None:
        return Settled(go(_PLACES[0]), None)
    for share in _PLACES:
        at_um = go(share)
        if anything_in_focus(live.live(WIDTH_PX)):
            return Settled(at_um, True)
    return Settled(go(_PLACES[0]), False)


def _in_focus(picture: NDArray[np.uint8]) -> bool:
    """Whether anything is: looked at in the size of the live view, where the threshold was found."""
    shrink = min(1.0, WIDTH_PX / picture.shape[1])
    return anything_in_focus(
        np.asarray(cv2.resize(picture, None, fx=shrink, fy=shrink, interpolation=cv2.INTER_AREA), np.uint8)
    )


def _flash(optical: Optical) -> Flash:
    if optical.flash is None:
        raise Conflict("no flash is connected: set it by hand, and judge the light in the first frame")
    return optical.flash


def _shot(optical: Optical, *, flash_on: bool) -> bytes:
    flash, camera = _flash(optical), optical.camera
    if camera is None:
        raise Conflict("this camera fires by itself: put a test frame into the watched folder")
    was_on, flash.on = flash.on, flash_on
    try:
        time.sleep(flash.ready_in_s())
        return camera.expose().content
    finally:
        flash.on = was_on
