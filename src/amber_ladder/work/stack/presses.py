"""Which rungs were shot, in turn, by a camera that kept its frames: what its files are matched to when they come."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from amber_ladder.store.models import Stack

SHOT_AGAIN = "shot again"
"""Why a frame takes no part whose rung was shot once more."""


@dataclass(frozen=True, slots=True)
class Pressed:
    """A press of the key: its rung, where that was called (stage, µm), where the knob read that it was if it did, and

    whether the same rung was shot again later.
    """

    rung: int
    planned_um: float
    reported_um: float | None
    again: bool


@dataclass(frozen=True, slots=True)
class Presses:
    """The presses of a take that has no frames yet, as they came; ``take`` is its number."""

    take: int
    positions_um: Sequence[float]
    pressed: Sequence[Pressed]

    def told(self) -> dict[str, Any]:
        """What the take that brings the files keeps of them."""
        return {
            "pressed_take": self.take, "presses": len(self.pressed), "positions_um": list(self.positions_um)
        }  # fmt: skip


def presses_of(stack: Stack) -> Presses | None:
    """The latest presses of a stack, None where there are none or their files are here."""
    brought = {(take.run or {}).get("pressed_take") for take in stack.takes}
    waiting = [take for take in stack.takes if (take.run or {}).get("pressed") and take.number not in brought]
    if not waiting:
        return None
    take = waiting[-1]
    run = take.run or {}
    rungs = [int(one["rung"]) for one in run["pressed"]]
    positions = [float(one) for one in run["positions_um"]]
    pressed = [
        Pressed(rung, positions[rung], one["read_um"], rung in rungs[place + 1 :])
        for place, (rung, one) in enumerate(zip(rungs, run["pressed"], strict=True))
    ]
    return Presses(take.number, positions, pressed)
