"""What is asked of the light on the bench: set it, test it, compare it, follow a place that mirrors."""

import threading
from collections.abc import Callable

from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import Conflict, NotFound
from amber_ladder.work.shoot.activities import Activities, check_begun
from amber_ladder.work.shoot.current_take import CurrentTake
from amber_ladder.work.shoot.light import metered, settle_in_focus
from amber_ladder.work.shoot.mounting import Mounting
from amber_ladder.work.shoot.orders import FlashEntry, MeterEntry, NoteEntry, PlaceEntry
from amber_ladder.work.shoot.place import PlaceWatch
from amber_ladder.work.shoot.rail_line import RailLine
from amber_ladder.work.shoot.views import BestView, MeteredView


class LightOrders:
    """The bench's light, for the stack that it is set up for. ``told`` lets the pages fetch the bench anew."""

    def __init__(
        self,
        turn: threading.RLock,
        activities: Activities,
        mounting: Mounting,
        line: RailLine,
        current: CurrentTake,
        told: Callable[[], None],
    ) -> None:
        self._turn, self._activities, self._mounting, self._line = turn, activities, mounting, line
        self._current, self._told = current, told

    def set_flash(self, entry: FlashEntry) -> None:
        """Set the flash. Raises Conflict without one, and while a take is shot: all its frames have the same light."""
        if self._current.task_id is not None:
            raise Conflict("the light stays as it is while a ladder is shot: stop the run first")
        with self._turn:  # a flash that is just being exchanged must not take the order
            self._mounting.light.set_flash(self._mounting.needed()[1], entry)
        self._told()

    def test_frame(self) -> None:
        """Go into the ladder, where something is in focus, shoot a frame that belongs to no take, and judge its light.

        Raises Conflict, DeviceTrouble, Stopped.
        """
        stop = self._activities.ask()
        with self._turn:
            self._activities.free()
            setup, optical = self._mounting.needed()
            near_um, far_um = setup.plan.near_um, setup.ladder.far_um
            self._mounting.reach().check(0.5 * (near_um + far_um))

            def work() -> None:
                at = settle_in_focus(self._line.move_to, optical.live, near_um, far_um, stop)
                self._mounting.light.test_frame(optical, at)

            end = self._begin("testing the light", work, stop)
        end()
        self._told()

    def room_frame(self) -> None:
        """Shoot a frame with the flash off: it must be black. Raises Conflict, DeviceTrouble."""
        with self._turn:
            self._activities.free()
            self._mounting.light.room_frame(self._mounting.needed()[1])
        self._told()

    def keep_before(self) -> None:
        """Keep the last test frame: the next is compared with it. Raises Conflict where there is none."""
        with self._turn:
            self._mounting.light.keep_before()
        self._told()

    def weigh_heads(self) -> None:
        """Shoot with each head of the flash alone, where the rail stands. Raises Conflict, DeviceTrouble, Stopped."""
        stop = self._activities.ask()
        with self._turn:
            self._activities.free()
            optical = self._mounting.needed()[1]
            end = self._begin("weighing the heads", lambda: self._mounting.light.weigh_heads(optical), stop)
        end()
        self._told()

    def picture(self, which: str) -> bytes:
        """A test frame: the last one, that ``before`` it, or the live view at the ``best`` angle. Raises NotFound."""
        light = self._mounting.light
        if which == "before":
            return light.picture_before()
        if which == "last":
            return light.picture()
        if light.place is None:
            raise NotFound("no place is marked")
        return light.place.picture()

    def metered(self, entry: MeterEntry) -> MeteredView:
        """What a meter's reading asks of the flash, through the rig of the stack. Raises Conflict without one."""
        return metered(entry, self._mounting.needed()[0].optics.effective_f_number)

    def mark(self, entry: PlaceEntry | None) -> None:
        """Follow the light of a place, from now on; None follows none. Raises Conflict without a live view."""
        with self._turn:
            if entry and self._mounting.needed()[1].live is None:
                raise Conflict("a place is followed in the live view, and this camera shows none")
            self._mounting.light.place = PlaceWatch(entry) if entry else None
        self._told()

    def note_best(self, entry: NoteEntry) -> None:
        """Note where things stood at the brightest. Raises Conflict before there is one."""
        if self._mounting.light.place is None:
            raise Conflict("no place is marked")
        self._mounting.light.place.note(entry.words)
        self._told()

    @property
    def best(self) -> BestView | None:
        """The brightest that the marked place was."""
        place = self._mounting.light.place
        return place.best if place else None

    def _begin(self, what: str, work: Callable[[], None], stop: StopToken) -> Callable[[], None]:
        check_begun(stop)
        return self._activities.begin_awaited(what, work, stop)
