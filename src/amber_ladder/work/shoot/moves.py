"""Where a move leads, and what the page sees of the rail."""

from amber_ladder.core.planning import Reach
from amber_ladder.errors import BadInput, Conflict
from amber_ladder.work.shoot.orders import BenchSettings, MoveEntry
from amber_ladder.work.shoot.rail_line import RailLine
from amber_ladder.work.shoot.setup import Setup
from amber_ladder.work.shoot.views import RailView

_JOGS_UM = (1.0, 10.0, 100.0)


def target_of(entry: MoveEntry, here_um: float, setup: Setup | None, reach: Reach) -> float:
    """The position that a move leads to from here, µm. Raises BadInput, and Conflict for places of no stack."""
    if entry.to_um is not None:
        return entry.to_um
    if entry.by_um is not None:
        return here_um + entry.by_um
    if entry.place is None:
        raise BadInput("say where to: a position, a distance, or a place", field="to_um")
    if setup is None:
        raise Conflict("the bench is not set up for a stack yet: open its Shoot page")
    match entry.place:
        case "near":
            return setup.plan.near_um
        case "far":
            return setup.ladder.far_um
        case "park":
            return reach.lowest_um if reach.lowest_um is not None else min(here_um, setup.plan.near_um)


def _jogs_um(click_um: float | None) -> list[float]:
    """Distances to move by: each a whole number of clicks, where the size of a click is known."""
    if not click_um:
        return list(_JOGS_UM)
    return sorted({max(round(one / click_um), 1) * click_um for one in _JOGS_UM})


def rail_view(line: RailLine, bench: BenchSettings, setup: Setup | None, reach: Reach, *, in_use: bool) -> RailView:
    """The rail as it is now."""
    position, rail = line.position_um(in_use=in_use), setup.plan.rail if setup else None
    return RailView(
        bench.rail,
        None if position is not None else line.trouble,
        None if position is not None else line.trouble_since,
        position,
        reach.lowest_um,
        reach.highest_um,
        rail.click_um if rail else None,
        _jogs_um(rail.click_um if rail else None),
        reach.free_um(position) if position is not None else None,
    )
