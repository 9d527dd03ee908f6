"""The stages of the job in the order of work, and what counts as done: the one list that pages and use cases go by."""

from collections.abc import Callable
from dataclasses import dataclass

from amber_ladder.store.models import Stack


@dataclass(frozen=True, slots=True)
class Stage:
    """A stage: its key is the word for it everywhere, in addresses and folders too."""

    key: str
    label: str
    done: Callable[[Stack], bool]


@dataclass(frozen=True, slots=True)
class StageView:
    """A stage as pages list it."""

    key: str
    label: str


@dataclass(frozen=True, slots=True)
class StageState:
    """A stage of one stack."""

    key: str
    label: str
    done: bool


def _shot(stack: Stack) -> bool:
    return any(take.complete for take in stack.takes)


def _merged(stack: Stack) -> bool:
    return any(merge.task.state == "done" for take in stack.takes for merge in take.merges)


def _mended(stack: Stack) -> bool:
    made = (one for take in stack.takes for one in take.products if one.kind == "mend")
    return any(one.task.state == "done" for one in made)


def _measured(stack: Stack) -> bool:
    return any(take.measures for take in stack.takes)


STAGES = (
    Stage("plan", "Plan", lambda _: True),
    Stage("shoot", "Shoot", _shot),
    Stage("sort", "Sort", _shot),  # what a take holds is sorted as it comes in; a person looks it over
    Stage("merge", "Merge", _merged),
    Stage("mend", "Mend", _mended),
    Stage("measure", "Measure", _measured),
    Stage("record", "Record", _merged),  # the record writes itself: it is complete with a finished merge
)


def all_stages() -> list[StageView]:
    """All of them."""
    return [StageView(stage.key, stage.label) for stage in STAGES]


def goes_on_at(stack: Stack, *, busy: bool) -> str:
    """The stage that a person who comes back to a stack most likely wants."""
    if _shot(stack):
        return "merge"
    if stack.tile == 0:
        return "shoot"
    return "shoot" if busy else "plan"


def stages_of(stack: Stack) -> list[StageState]:
    """The stages of a stack."""
    return [StageState(stage.key, stage.label, stage.done(stack)) for stage in STAGES]
