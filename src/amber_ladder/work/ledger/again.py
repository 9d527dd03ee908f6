"""Why a stack should be shot again, and where that is planned."""

from dataclasses import dataclass
from typing import Literal

from amber_ladder.store.ledger_models import LedgerRow


@dataclass(frozen=True, slots=True)
class Reason:
    """What is wrong, in words, what repairs it, and the stage where that is done.

    ``more`` is the end that was not reached, where a plan can be carried on beyond it.
    """

    kind: Literal["gap", "end", "moved", "scale", "coarse"]
    words: str
    do: str
    stage: Literal["plan", "shoot", "sort", "measure"]
    more: Literal["near", "far"] | None = None


def reasons(row: LedgerRow) -> list[Reason]:
    """All reasons, the worst first; none for a stack that was not merged."""
    if row.merge_id is None:
        return []
    found = []
    if row.gaps:
        words = "a gap: frames are missing" if row.gaps == 1 else f"{row.gaps} gaps: frames are missing"
        found.append(Reason("gap", words, "shoot what is missing", "sort"))
    ends = row.drawing.get("ends", [])
    found += [Reason("end", f"the {end} end was not reached", f"plan more beyond the {end} end", "plan", end)
              for end in ends]  # fmt: skip
    if row.ends_open and not ends:
        found.append(Reason("end", "an end was not reached", "plan more", "plan"))
    if row.moved:
        words = "something moved" if row.moved == 1 else f"something moved in {row.moved} places"
        found.append(Reason("moved", words, "shoot another take", "shoot"))
    if row.step_ratio is not None and row.step_ratio > 1.0:
        words = f"the step is {row.step_ratio:.2g} times the sharp depth"
        found.append(Reason("coarse", words, "plan a finer ladder", "plan"))
    if row.scale_from is None:
        found.append(Reason("scale", "its scale is not known", "set it from something in the picture", "measure"))
    return found
