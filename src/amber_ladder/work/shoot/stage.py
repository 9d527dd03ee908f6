"""The stage that moves the specimen sideways: two more axes of the rail's controller, or a hand."""

from math import hypot

from amber_ladder.devices.gcode_rail import Axis
from amber_ladder.devices.protocols import Rail
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import DeviceTrouble
from amber_ladder.work.shoot.orders import BenchSettings
from amber_ladder.work.shoot.rail_line import RailLine, moved
from amber_ladder.work.shoot.setup import Setup
from amber_ladder.work.shoot.views import StageView

Place = tuple[float, float]
_AXES: tuple[Axis, Axis] = ("Y", "Z")
_RUN_UP_UM = 200.0  # each place is come to from one side, over more than usual play
_OFF_BY = 0.05
"""A share of the field: the stage may stand so far from its tile, for neighbours are laid on each other from there."""


class StageLine:
    """The stage over the rail's line. Places are (right, down) in µm, rising as the field goes over the specimen."""

    def __init__(self, line: RailLine) -> None:
        self._line = line
        self._axes: tuple[Rail, tuple[Rail, Rail]] | None = None

    @property
    def silent(self) -> str | None:
        """Why the rail's controller does not answer, the last time that it was tried; None where it does."""
        return self._line.trouble

    def at_um(self, bench: BenchSettings) -> Place:
        """Where it says it is. Raises DeviceTrouble."""
        right, down = (rail.position_um() for rail in self._opened())
        sign = _signs(bench)
        return right * sign[0], down * sign[1]

    def move_to(self, place: Place, bench: BenchSettings, stop: StopToken) -> None:
        """Move, one axis after the other. Raises Stopped, OutOfReach, DeviceTrouble."""
        for rail, to_um, sign in zip(self._opened(), place, _signs(bench), strict=True):
            target_um = to_um * sign
            if rail.position_um() > target_um:
                moved(rail, target_um - _RUN_UP_UM, stop)
            moved(rail, target_um, stop)

    def _opened(self) -> tuple[Rail, Rail]:
        rail = self._line.rail()
        if self._axes is None or self._axes[0] is not rail:  # its line was opened anew
            try:
                self._axes = rail, (rail.beside(_AXES[0]), rail.beside(_AXES[1]))
            except DeviceTrouble as error:
                raise DeviceTrouble(
                    f"the rail's controller moves no stage by its axes {' and '.join(_AXES)} ({error}): move it by "
                    "hand, and say so under Bench"
                ) from error
        return self._axes[1]


def stage_view(stage: StageLine, bench: BenchSettings, setup: Setup | None) -> StageView | None:
    """The stage as it is now; None where there is neither one to move nor a tile to move to."""
    tile = setup.tile if setup else None
    if tile is None and bench.stage == "hand":
        return None
    at, trouble = None, None
    if bench.stage == "rail" and stage.silent is not None:
        trouble = stage.silent  # whoever merely looks does not wait for it
    elif bench.stage == "rail":
        try:
            at = stage.at_um(bench)
        except DeviceTrouble as error:
            trouble = str(error)
    target = tile.stage_um if tile else None
    off_um = hypot(at[0] - target[0], at[1] - target[1]) if at and target else None
    within_um = _OFF_BY * max(tile.field_um) if tile else None
    return StageView(
        bench.stage, trouble, at, target, off_um, within_um,
        None if off_um is None or within_um is None else off_um <= within_um, tile.number if tile else None,
    )  # fmt: skip


def _signs(bench: BenchSettings) -> Place:
    return (-1.0 if "right" in bench.stage_reversed else 1.0, -1.0 if "down" in bench.stage_reversed else 1.0)
