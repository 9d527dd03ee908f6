"""How much the picture grows with depth on a rig, as earlier stacks on it showed: a merge is held to that."""

from collections.abc import Sequence
from statistics import median

from amber_ladder.store.models import Stack
from amber_ladder.work.on_disk.merge_settings import Grows
from amber_ladder.work.on_disk.merging import grows_by_optics
from amber_ladder.work.stack.counted import counted_merge
from amber_ladder.work.stack.views import stack_plan, stack_rig

_FEWEST = 3
_DOUBTS = 3.0  # standard deviations
_SCATTER = 1.4826  # of a normal distribution, times its median deviation
_NEVER_SURER = 0.1  # as a share of what is usual
_TELLS = 0.01  # standard uncertainty a mm, above which a stack tells nothing


def learnt_growth(stack: Stack, others: Sequence[Stack]) -> Grows | None:
    """The limits within which a merge of this stack is believed: by its rig's optics, and by others on the same rig.

    Those count that were shot in the same medium and way. None where nothing tells.
    """
    rig, moves = stack_rig(stack).to_core(), stack_plan(stack).moves
    optical = grows_by_optics(rig, focus_ring=moves == "focus_ring")
    alike = (
        other
        for other in others
        if stack_plan(other).moves == moves and stack_rig(other).medium_index == rig.medium_index
    )
    told = [growth for growth in map(_seen, alike) if growth]
    if len(told) < _FEWEST:
        return optical
    usual = median(per_mm for per_mm, _ in told)
    scatter = _SCATTER * median(abs(per_mm - usual) for per_mm, _ in told)
    half = max(_DOUBTS * max(scatter, median(u for _, u in told)), _NEVER_SURER * abs(usual))
    return _within(usual - half, usual + half, optical, len(told))


def _seen(stack: Stack) -> tuple[float, float] | None:
    """What the merge that counts showed a mm of depth, and its uncertainty, where it was believed and tells enough."""
    merge = counted_merge(stack)
    growth = merge.report.get("growth") if merge and merge.report else None
    if not growth or growth["seen_per_mm"] is not None or growth["u_per_mm"] > _TELLS:
        return None
    return growth["per_mm"], growth["u_per_mm"]


def _within(low: float, high: float, optical: Grows | None, count: int) -> Grows:
    basis = f"{count} earlier stacks on this rig"
    if optical is None:
        return Grows(low, high, basis)
    both = max(low, optical.low_per_mm), min(high, optical.high_per_mm)
    # Stacks that all contradict the optics were aligned by what was entered wrongly: they say nothing.
    return Grows(*both, f"{basis}, and {optical.basis}") if both[0] < both[1] else optical
