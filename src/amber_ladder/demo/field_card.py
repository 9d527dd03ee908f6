"""The field camera's card: three takes, with what happens to cards, as it comes home."""

from amber_ladder.simulated.card import Lens, Light, Mishap, Take, Ways, fill_card
from amber_ladder.work import cabinet, card

NAME = "Field camera, north wall"
_LENS = Lens(640, 480, 5.0, 0.14)
_TAKES = (
    Take(
        "moss-capsule", "plant", 3, _LENS, Light(-0.5), None, step=0.5,
        mishaps=((0.2, Mishap("dark", -3.0)), (0.45, Mishap("shaken", 9.0, 20.0)), (0.7, Mishap("jolted", 20.0, 40.0))),
    ),
    Take("capped-column", "snow", 3, _LENS, Light(-0.5), "hand", far_first=True, step=0.7),
    Take("lacewing-eyes", "insect", 3, _LENS, Light(-0.5), "pause", step=0.45, ends=-3.0, hole=(0.45, 4)),
)  # fmt: skip
_GO_TO = {0: "TH-0418", 1: "SN-007"}


def bring_in() -> int | None:
    """Bring the card in and queue the looking at it; returns that task, None where it was done before.

    A card that was broken off goes on where it was.
    """
    there = next((one for one in card.all_cards() if one.name == NAME), None)
    if there is not None and there.looked_at:
        return None
    number = there.id if there else card.begin(card.CardEntry(name=NAME)).id
    for file in fill_card(_TAKES, Ways(first_number=412)).files:
        card.add_file(number, file.path, [file.content])
    task = card.look_at_card(number).task
    assert task is not None, "it was begun just now"
    return task.id


def say_where_it_goes() -> None:
    """The technician has said of two stacks what they are; the third waits for it."""
    number = next(one.id for one in card.all_cards() if one.name == NAME)
    found = card.read(number).stacks
    for place, catalogue_number in _GO_TO.items():
        row = next(iter(cabinet.browse(words=catalogue_number).rows), None)
        if row and row.stacks and place < len(found) and found[place].goes is None:
            card.set_goes(number, found[place].first, card.GoesEntry(stack_id=row.stacks[0].id))
