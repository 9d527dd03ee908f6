"""Where a plan's figures come from, if they were proposed."""

from typing import Annotated

from pydantic import Field, StringConstraints

from amber_ladder.formats.rig_json import Strict


class ProposedFrom(Strict):
    """The stacks that a proposal rests on, and how like they are."""

    stacks: Annotated[list[int], Field(min_length=1, max_length=100_000)]
    basis: Annotated[str, StringConstraints(max_length=60)]
