"""Card: files brought in, before they are stacks."""

from amber_ladder.work.card.accepting import AcceptEntry, accept
from amber_ladder.work.card.bringing import (
    CardEntry,
    FolderEntry,
    add_file,
    all_cards,
    begin,
    fetch_folder,
    look_at_card,
    read,
)
from amber_ladder.work.card.editing import (
    BordersEntry,
    GoesEntry,
    LeftOutEntry,
    TakenBackEntry,
    leave_out,
    set_borders,
    set_goes,
    take_back,
)
from amber_ladder.work.card.pictures import picture_of, thumb_of
from amber_ladder.work.card.views import CardLine, CardView, FileView

__all__ = [
    "AcceptEntry",
    "BordersEntry",
    "CardEntry",
    "CardLine",
    "CardView",
    "FileView",
    "FolderEntry",
    "GoesEntry",
    "LeftOutEntry",
    "TakenBackEntry",
    "accept",
    "add_file",
    "all_cards",
    "begin",
    "fetch_folder",
    "leave_out",
    "look_at_card",
    "picture_of",
    "read",
    "set_borders",
    "set_goes",
    "take_back",
    "thumb_of",
]
