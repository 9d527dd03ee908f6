"""Files that leave the house, written down in the history of their stack."""

import logging
from typing import Literal

from amber_ladder.errors import StorageFull
from amber_ladder.store import history, stacks, tasks
from amber_ladder.store.base import PERSON
from amber_ladder.store.database import transaction

log = logging.getLogger(__name__)


def left(product_id: int, file: str, kind: Literal["merge", "mend"] = "merge") -> None:
    """Write down that a file of a merge, or of a mended picture, was saved under this name. Raises NotFound.

    Straight after the same by the same person it is not told once more: a download that breaks off goes on in parts.
    Where there is no room to write it down, the file leaves all the same.
    """
    try:
        with transaction() as session:
            product = stacks.get_product(session, product_id, kind)
            stack_id, words = product.take.stack_id, f"saved as {file}"
            if kind == "mend":
                words = f"mended picture {product.number} {words}"
            last = history.last(session, stack_id)
            if last and (last.did, last.words, last.by) == ("exported", words, PERSON.get()):
                return
            history.note(session, stack_id, "exported", words, {"file": file})
            tasks.tell(session, "deed", {"id": None})  # other windows show it too
    except StorageFull as error:
        # On a full disk above all, what there is must be got out.
        log.warning("%s %s is not written down as saved under %s: %s", kind, product_id, file, error)
