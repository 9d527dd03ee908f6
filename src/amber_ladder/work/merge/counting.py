"""Choosing the merge that counts for its stack."""

from amber_ladder.errors import Conflict
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work.journal import changing
from amber_ladder.work.stack.views import StackView, stack_view


def let_count(merge_id: int) -> StackView:
    """Let a finished merge count for its stack from now on; until anybody says so, the newest does.

    Raises NotFound, and Conflict where it is not finished.
    """
    with transaction() as session:
        merge = stacks.get_product(session, merge_id, "merge")
        if merge.report is None:
            raise Conflict("this merge is not finished: wait for it, or let another count")
        stack = stacks.get_stack(session, merge.take.stack_id, locked=True)
        words = f"merge {merge.number} ({merge.settings['method']}) of take {merge.take.number} counts from now on"
        with changing(session, words, stack):
            stack.counted_merge_id = merge.id
        return stack_view(stack)
