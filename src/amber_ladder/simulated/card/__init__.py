"""A memory card as technicians bring it home: takes of several specimens in one run of files, with all that went wrong.

What is true of each file is known: where takes begin, how focus travelled, what is wrong with a frame.
"""

from amber_ladder.simulated.card._bench import Lens, Light
from amber_ladder.simulated.card._files import CardFile, SimulatedCard, TakeTruth, fill_card, shoot_card
from amber_ladder.simulated.card._story import Mishap, Separator, Take, Ways

__all__ = [
    "CardFile",
    "Lens",
    "Light",
    "Mishap",
    "Separator",
    "SimulatedCard",
    "Take",
    "TakeTruth",
    "Ways",
    "fill_card",
    "shoot_card",
]
