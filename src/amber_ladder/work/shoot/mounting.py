"""What stands on the bench: the stack that it is set up for, camera and flash, and what was found with them."""

from collections.abc import Callable

from amber_ladder.core.planning import Reach
from amber_ladder.devices.protocols import Rail
from amber_ladder.errors import Conflict
from amber_ladder.store import rigs, stacks
from amber_ladder.store.database import transaction
from amber_ladder.work.shoot.light import LightDesk
from amber_ladder.work.shoot.opening import Optical, open_optical, reach_for
from amber_ladder.work.shoot.orders import BenchSettings
from amber_ladder.work.shoot.setup import Setup, bench_settings, keep_settings, setup_of
from amber_ladder.work.shoot.views import EndsView
from amber_ladder.work.stack.views import stack_plan, stack_rig

_USUAL_POWER = 0.125


class Mounting:
    """One stack's setup with its devices; ends and light hold for these alone, and go when they change."""

    def __init__(self, rail: Callable[[], Rail]) -> None:
        self._rail = rail
        self.setup: Setup | None = None
        self.optical: Optical | None = None
        self.light = LightDesk()
        self.lamp_deg: float | None = None
        self.ends: EndsView | None = None

    def mount(self, stack_id: int) -> None:
        """Set the bench up for a stack as it is planned now. Raises NotFound, DeviceTrouble."""
        bench = bench_settings()
        with transaction() as session:
            setup = setup_of(stacks.get_stack(session, stack_id))
            on_bench = rigs.on_bench(session)
            power = on_bench.flash_power if on_bench and on_bench.flash_power else _USUAL_POWER
        if setup.lies_as not in bench.lies_um:
            lies = dict(list(bench.lies_um.items())[-200:])
            bench = bench.model_copy(update={"lies_um": {**lies, setup.lies_as: setup.plan.near_um}})
            keep_settings(bench)
        same = self.setup is not None and self.setup.stack_id == stack_id
        beside = self.setup is not None and self.setup.lies_as == setup.lies_as  # another tile: in the same light
        flash = self.optical.flash if beside and self.optical else None
        if flash:
            power = flash.power
        self.close()
        self.optical, self.lamp_deg = open_optical(setup, bench, self._rail, power), bench.lamp_at_deg
        if flash and self.optical.flash:
            self.optical.flash.heads = flash.heads
        if not beside or self.setup is None or self.setup.rig != setup.rig:
            self.forget_findings()
        elif not same:
            self.ends = None
        self.setup = setup

    def field_moved(self) -> None:
        """The stage has moved: a simulated camera sees another part of the specimen."""
        if self.setup:
            self.mount(self.setup.stack_id)

    def is_for(self, stack_id: int) -> bool:
        """Whether this stack is mounted."""
        return self.setup is not None and self.setup.stack_id == stack_id

    def is_outdated(self) -> bool:
        """Whether the stack's rig or plan was changed since."""
        if self.setup is None:
            return False
        with transaction() as session:
            stack = stacks.get_stack(session, self.setup.stack_id)
            return stack_plan(stack) != self.setup.plan or stack_rig(stack) != self.setup.rig

    def needed(self) -> tuple[Setup, Optical]:
        """What is mounted. Raises Conflict where nothing is."""
        if self.setup is None or self.optical is None:
            raise Conflict("the bench is not set up for a stack yet: open its Shoot page")
        return self.setup, self.optical

    def reach(self) -> Reach:
        """Where the rail can go over this specimen."""
        return reach_for(self.setup, bench_settings()) if self.setup else Reach()

    def relight(self, bench: BenchSettings) -> None:
        """The simulated lamp or diffuser was set anew."""
        self.lamp_deg = bench.lamp_at_deg
        if self.optical:
            self.optical.relight(bench)
        self.light.relit()

    def forget_findings(self) -> None:
        """Ends and light were found with what stood there before."""
        self.ends, self.light = None, LightDesk()

    def close(self) -> None:
        """Let go of camera and flash."""
        if self.optical:
            self.optical.close()
