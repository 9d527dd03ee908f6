"""What a person changes of a card: borders, what takes part, where a stack goes. Each can be undone."""

from collections.abc import Callable
from dataclasses import replace
from typing import Annotated, Any

from pydantic import Field, StringConstraints

from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import cards, stacks
from amber_ladder.store.card_models import Card
from amber_ladder.store.database import Session, transaction
from amber_ladder.work.card.going import label_of
from amber_ladder.work.card.judging import Edits
from amber_ladder.work.card.views import CardView, card_view
from amber_ladder.work.journal import changing

Files = Annotated[list[int], Field(max_length=20_000)]


class BordersEntry(Strict):
    """Files with which a stack shall begin, and such with which none shall."""

    add: Files = Field(default_factory=list)
    remove: Files = Field(default_factory=list)


class LeftOutEntry(Strict):
    """Files that shall take no part, and why."""

    files: Files
    reason: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=300)] = "left out by hand"


class TakenBackEntry(Strict):
    """Files that shall take part all the same."""

    files: Files


class GoesEntry(Strict):
    """The stack of the cabinet that a card's stack belongs to; None takes the word back."""

    stack_id: int | None


def set_borders(card_id: int, entry: BordersEntry) -> CardView:
    """Add, remove or (both at once) move borders. Raises NotFound, BadInput, Conflict for what was accepted."""

    def change(session: Session, card: Card, edits: Edits) -> tuple[str, Edits]:
        found = {one["before"] for one in (card.found or {})["borders"]}
        borders = dict(edits.borders)
        for number, there in [*((one, False) for one in entry.remove), *((one, True) for one in entry.add)]:
            # What the files tell anyway needs no word.
            borders.pop(number, None) if (number in found) == there else borders.__setitem__(number, there)
        names = cards.names_of(session, [*entry.add, *entry.remove])
        if entry.add and entry.remove:
            words = f"border moved to before {names[entry.add[0]]}"
        elif entry.add:
            words = f"border set before {names[entry.add[0]]}"
        else:
            words = f"border before {names[entry.remove[0]]} removed"
        return words, replace(edits, borders=borders)

    if not entry.add and not entry.remove:
        raise BadInput("name a file before which a border shall be, or no longer be", field="add")
    return _changed(card_id, [*entry.add, *entry.remove], change, both_sides=True)


def leave_out(card_id: int, entry: LeftOutEntry) -> CardView:
    """Leave files out. Raises NotFound, BadInput, Conflict for those of a stack that was accepted."""

    def change(session: Session, _card: Card, edits: Edits) -> tuple[str, Edits]:
        more = dict.fromkeys(entry.files, entry.reason)
        kept = tuple(one for one in edits.kept if one not in more)
        return f"{_named(session, entry.files)} left out: {entry.reason}", replace(
            edits, left_out={**edits.left_out, **more}, kept=kept
        )

    return _changed(card_id, entry.files, change)


def take_back(card_id: int, entry: TakenBackEntry) -> CardView:
    """Let files take part, whatever spoke against it. Raises NotFound, BadInput, Conflict as leaving out does."""

    def change(session: Session, _card: Card, edits: Edits) -> tuple[str, Edits]:
        left = {number: why for number, why in edits.left_out.items() if number not in entry.files}
        kept = tuple({*edits.kept, *entry.files})
        return f"{_named(session, entry.files)} taken back", replace(edits, left_out=left, kept=kept)

    return _changed(card_id, entry.files, change)


def set_goes(card_id: int, first: int, entry: GoesEntry) -> CardView:
    """Say where the stack goes that begins with this file. Raises NotFound, BadInput, Conflict."""

    def change(session: Session, _card: Card, edits: Edits) -> tuple[str, Edits]:
        chosen = {number: stack for number, stack in edits.stacks.items() if number != first}
        words = f"{_named(session, [first])} and what follows goes to no stack yet"
        if entry.stack_id is not None:
            chosen[first] = entry.stack_id
            where = label_of(stacks.get_stack(session, entry.stack_id))
            words = f"{_named(session, [first])} and what follows goes to {where}"
        return words, replace(edits, stacks=chosen)

    return _changed(card_id, [first], change)


Change = Callable[[Session, Card, Edits], tuple[str, Edits]]


def _changed(card_id: int, files: list[int], change: Change, *, both_sides: bool = False) -> CardView:
    """Change a card's edits, and write down what was done, in words. ``files`` are those that it concerns."""
    with transaction() as session:
        card = cards.get(session, card_id, locked=True)
        order = (card.found or {}).get("order", [])
        places = {number: place for place, number in enumerate(order)}
        if not files or any(number not in places for number in files):
            raise BadInput("this card has no such file that was looked at: load the page again", field="files")
        concerned = set(files)
        if both_sides:
            concerned |= {order[places[number] - 1] for number in files if places[number]}
        _refuse_accepted(session, card, concerned)
        words, edits = change(session, card, Edits.of(card))
        with changing(session, f"{card.name}: {words}", card):
            card.edits = edits.as_json()
        return card_view(session, card)


def refuse_to_undo(session: Session, card: Card, before: dict[str, Any]) -> None:
    """Raises Conflict where going back to these edits would change a stack that was accepted since."""
    now, then = Edits.of(card), Edits.from_json(before)
    order = (card.found or {}).get("order", [])
    places = {number: place for place, number in enumerate(order)}
    moved = {number for number in {*now.borders, *then.borders} if now.borders.get(number) != then.borders.get(number)}
    concerned = moved | {order[places[number] - 1] for number in moved if places.get(number)}
    concerned |= {
        number for number in {*now.left_out, *then.left_out} if now.left_out.get(number) != then.left_out.get(number)
    }
    _refuse_accepted(session, card, concerned | ({*now.kept} ^ {*then.kept}))


def _refuse_accepted(session: Session, card: Card, concerned: set[int]) -> None:
    for take in cards.takes_from(session, card.id):
        if concerned & set((take.run or {})["files"]):
            raise Conflict(
                f"these files are take {take.number} of {label_of(take.stack)} already: change them there, or discard "
                "that take first"
            )


def _named(session: Session, files: list[int]) -> str:
    name = cards.names_of(session, files[:1])[files[0]]
    return name if len(files) == 1 else f"{name} and {len(files) - 1} more"
