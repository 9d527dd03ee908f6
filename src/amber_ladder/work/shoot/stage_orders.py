"""What is asked of the stage: go to a tile, or a little aside; and all tiles of a set, one after another."""

import contextvars
import logging
import threading
from collections.abc import Callable
from contextlib import suppress

from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import AmberLadderError, Conflict, DeviceTrouble
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work.journal import changing
from amber_ladder.work.shoot.activities import Activities, check_begun
from amber_ladder.work.shoot.mounting import Mounting
from amber_ladder.work.shoot.orders import StageEntry, StageHere
from amber_ladder.work.shoot.rail_line import RailLine
from amber_ladder.work.shoot.setup import bench_settings
from amber_ladder.work.shoot.stage import Place, StageLine, stage_view
from amber_ladder.work.shoot.views import StageView
from amber_ladder.work.stack.tiles import grid_of, tiles_view
from amber_ladder.work.stack.views import TakeView

log = logging.getLogger(__name__)

GOING = "moving the stage"


class StageOrders:
    """The bench's stage. ``begin`` runs a stack's ladder with what was confirmed; ``told`` lets pages fetch it anew."""

    def __init__(
        self,
        turn: threading.RLock,
        activities: Activities,
        mounting: Mounting,
        line: RailLine,
        begin: Callable[[int, list[str]], TakeView],
        told: Callable[[], None],
    ) -> None:
        self._turn, self._activities, self._mounting, self._line = turn, activities, mounting, line
        self._begin, self._told = begin, told
        self.stage = StageLine(line)

    def view(self) -> StageView | None:
        """The stage as it is now."""
        return stage_view(self.stage, bench_settings(), self._mounting.setup)

    def move(self, entry: StageEntry) -> None:
        """Begin to move. Raises Conflict without a stage or a tile, DeviceTrouble, OutOfReach."""
        stop = self._activities.ask()
        with self._turn:
            self._activities.free()
            at = self._needed()
            if entry.by_um is not None:
                target = (at[0] + entry.by_um[0], at[1] + entry.by_um[1])
            else:
                target = self._place_of_tile()
            check_begun(stop)
            self._activities.begin(GOING, lambda: self._go(target, stop), stop)

    def here(self, entry: StageHere) -> None:
        """Note that the field lies on the tile, or on the middle of the whole, where the stage stands.

        Raises Conflict without a stage or a tile, DeviceTrouble.
        """
        with self._turn:
            self._activities.free()
            at, (setup, _) = self._needed(), self._mounting.needed()
            with transaction() as session:
                stack = stacks.get_stack(session, setup.stack_id, locked=True)
                if stack.tile_set is None or setup.tile is None:
                    raise Conflict("this stack is no tile: there is nothing to place it in")
                grid = grid_of(stack.tile_set)
                places = grid.places()
                own = places[setup.tile.number - 1]
                shift = (own.x_um, own.y_um)
                if entry.of == "middle":
                    # That of the first field lies half a field from the corner, as the whole's lies half the whole.
                    shift = tuple((whole - one) / 2 for whole, one in zip(grid.covers_um, grid.field_um, strict=True))  # type: ignore[assignment]
                words = f"tiles of {stack.specimen.catalogue_number} placed on the stage"
                with changing(session, words, stack.tile_set):
                    stack.tile_set.first_at_um = [at[0] - shift[0], at[1] - shift[1]]
            self._mounting.mount(setup.stack_id)
        self._told()

    def follow(self, take_id: int, ended: threading.Event) -> None:
        """When a take that asks for it is done, go on with the next tile that has none, until a stop or trouble."""
        stop = self._activities.ask()
        context = contextvars.copy_context()

        def wait() -> None:
            ended.wait()
            try:
                self._next(take_id, stop)
            except AmberLadderError as error:
                log.info("the tiles after take %s: %s", take_id, error)
                self._activities.said = f"The next tile was not begun: {error}"
                self._told()

        threading.Thread(target=lambda: context.run(wait), name="tiles in turn", daemon=True).start()

    def _next(self, take_id: int, stop: StopToken) -> None:
        with transaction() as session:
            take = stacks.get_take(session, take_id)
            confirmed = (take.run or {}).get("then_tiles")
            if confirmed is None or take.task is None or take.task.state != "done" or stop.stopped:
                return
            tiles = tiles_view(stacks.get_stack(session, take.stack_id))
            left = [one for one in tiles.tiles if one.state == "planned"] if tiles else []
        if not left:
            return
        with self._turn:
            self._activities.free()
            self._mounting.mount(left[0].stack_id)
            awaited = self._to_mounted(stop)
        awaited()
        check_begun(stop)
        self._begin(left[0].stack_id, confirmed)

    def _to_mounted(self, stop: StopToken) -> Callable[[], None]:
        """Begin to go to the tile that is set up; returns what waits until the stage is there."""
        target = self._place_of_tile()
        return self._activities.begin_awaited(GOING, lambda: self._go(target, stop), stop)

    def _needed(self) -> Place:
        bench = bench_settings()
        if bench.stage != "rail":
            raise Conflict("the stage is moved by hand: say under Bench that the rail's controller moves it")
        self._line.rail()
        return self.stage.at_um(bench)

    def _place_of_tile(self) -> Place:
        tile = self._mounting.needed()[0].tile
        if tile is None:
            raise Conflict("this stack is no tile: there is no place to go to")
        if tile.stage_um is None:
            raise Conflict(
                "nobody said where the tiles lie: drive the field to this tile, or to the middle, and say so"
            )
        return tile.stage_um

    def _go(self, target: Place, stop: StopToken) -> None:
        """Away from the specimen first: what is moved aside must not touch the lens."""
        setup, _ = self._mounting.needed()
        with suppress(DeviceTrouble):
            self._line.move_to(min(self._line.rail().position_um(), setup.ladder.positions_um[0]), stop)
        try:
            self.stage.move_to(target, bench_settings(), stop)
        finally:
            with self._turn:
                self._mounting.field_moved()
