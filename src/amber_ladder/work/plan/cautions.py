"""What to mind with a specimen, and that it was read."""

from typing import Annotated

from pydantic import Field

from amber_ladder.core import planning
from amber_ladder.core.planning import Caution, Circumstances
from amber_ladder.errors import BadInput
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import specimens, stacks
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Specimen, Stack
from amber_ladder.work.stack.views import StackView, stack_view


class CautionEntry(Strict):
    """A caution that was read."""

    key: Annotated[str, Field(max_length=40)]


def cautions(specimen_id: int) -> list[Caution]:
    """What to mind with this specimen. Raises NotFound."""
    with transaction() as session:
        return list(planning.cautions_for(circumstances(specimens.get(session, specimen_id))))


def tick_caution(stack_id: int, entry: CautionEntry) -> StackView:
    """Note that a caution was read; once is enough. Raises NotFound, and BadInput for one that does not apply."""
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        applying = {one.key: one.title for one in planning.cautions_for(circumstances(stack.specimen))}
        if entry.key not in applying:
            raise BadInput(f"no caution is called {entry.key!r} here", field="key")
        if entry.key not in {one["key"] for one in stack.cautions_read}:
            read = {"key": entry.key, "title": applying[entry.key], "read_at": now().isoformat(timespec="seconds")}
            stack.cautions_read = [*stack.cautions_read, read]
            session.flush()
        return stack_view(stack)


def circumstances(specimen: Specimen) -> Circumstances:
    """What a specimen's label tells of its hazards."""
    return Circumstances(
        specimen.kind, specimen.name, specimen.mount, specimen.medium, specimen.locality, specimen.note
    )


def unread_cautions(stack: Stack) -> list[Caution]:
    """The cautions that apply and were not ticked."""
    read = {str(one["key"]) for one in stack.cautions_read}
    return [one for one in planning.cautions_for(circumstances(stack.specimen)) if one.key not in read]
