"""The one merge of a stack that counts: its record, its picture in the cabinet and its line in the ledger follow it."""

from amber_ladder.store.models import Product, Stack


def counted_merge(stack: Stack) -> Product | None:
    """The finished merge that a person chose, else the newest; None while there is none."""
    finished = [merge for take in stack.takes for merge in take.merges if merge.report is not None]
    chosen = (merge for merge in finished if merge.id == stack.counted_merge_id)
    return next(chosen, None) or max(finished, key=lambda merge: merge.id, default=None)
