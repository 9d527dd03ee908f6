"""What worked before, for a kind of specimen on a rig: from the ledger's lines, each case one click away."""

from dataclasses import dataclass

from amber_ladder.core.planning import Case, Proposal, worked_before
from amber_ladder.store import history
from amber_ladder.store import ledger as lines
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.models import Stack
from amber_ladder.work.ledger.lines import refresh
from amber_ladder.work.plan.proposed import ProposedFrom

_COLUMNS = (
    "stack_id", "specimen_kind", "rig_name", "magnification", "depth_um", "overlap", "findings", "frames_shot",
    "frames_carried", "seconds", "spare_used", "light", "step_in_medium_um", "catalogue_number", "name",
)  # fmt: skip
_MOST_SHOWN = 50


@dataclass(frozen=True, slots=True)
class CaseView:
    """A case: its stack, what it is called, and how deep it was, µm in the medium."""

    stack_id: int
    catalogue_number: str
    name: str
    rig_name: str
    depth_um: float


@dataclass(frozen=True, slots=True)
class BeforeView:
    """What the cases say together, and the cases; of very many the latest.

    While the ledger is `behind` with some stacks, there may be more cases than these.
    """

    proposal: Proposal
    cases: list[CaseView]
    behind: int


def read_before(kind: str, rig: str, magnification: float) -> BeforeView:
    """What worked for this kind of specimen on this rig, or on like ones."""
    with transaction() as session:
        behind = refresh(session)
        found = lines.values(session, lines.Wanted(kinds=[kind]), _COLUMNS)
    cases = [Case(*row[:13]) for row in found if row[4] is not None]
    told = worked_before(cases, kind=kind, rig=rig, magnification=magnification)
    named = {row[0]: CaseView(row[0], row[13], row[14], row[2], row[4]) for row in found}
    return BeforeView(told, [named[one] for one in sorted(told.stacks, reverse=True)[:_MOST_SHOWN]], behind)


def note_proposed(session: Session, stack: Stack, proposed: ProposedFrom | None) -> None:
    """Let the history say that a plan's figures come from cases before it."""
    if proposed is None:
        return
    count = len(proposed.stacks)
    words = f"depth, overlap and spare rungs from what worked before: {count} stacks, {proposed.basis}"
    history.note(session, stack.id, "planned", words, proposed.model_dump())
