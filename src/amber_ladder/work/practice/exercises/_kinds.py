"""What an exercise is: a question drawn from a seed, and a judge that knows the truth."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from pydantic import Field

from amber_ladder.core.practice import Verdict
from amber_ladder.errors import BadInput
from amber_ladder.formats.rig_json import RigJson, Strict

LEVELS = 3
Judgement = Literal["planning", "focus", "light", "sorting", "merging", "mending", "measuring", "the day"]


class Drawn(Strict):
    """All that an exercise is drawn from: the same gives the same, on any machine.

    ``specimen`` and ``flaws`` are chosen by the seed where none are named; ``rig`` is the station's, where it matters.
    """

    kind: Annotated[str, Field(max_length=40)]
    level: Annotated[int, Field(ge=1, le=LEVELS)] = 1
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)]
    specimen: Annotated[str, Field(max_length=60)] | None = None
    flaws: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=10)] = Field(default_factory=list)
    rig: RigJson | None = None


@dataclass(frozen=True, slots=True)
class Asked:
    """One thing to answer: a number, one frame or several of those shown, a place on them, one of some words, or things

    in an order. A place is two whole numbers: thousandths of width and height.
    """

    key: str
    kind: Literal["number", "frame", "frames", "place", "choice", "order"]
    label: str
    unit: str = ""
    options: list[str] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Question:
    """What is shown and asked. ``told`` are figures that are given; ``frames`` how many pictures there are.

    ``places`` (x, y in shares of the frame) are marked on every picture.
    """

    words: str
    told: list[tuple[str, str]]
    asked: list[Asked]
    frames: int = 0
    places: list[tuple[float, float]] = field(default_factory=list)


Answer = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Exercise:
    """A kind of exercise. ``picture`` gives a frame as JPEG, ``shown`` one of the difference, after the answer;

    ``solve`` what would have been right. ``specimens`` are those that it can be done with; any, where it is empty.
    """

    key: str
    title: str
    judgement: Judgement
    words: str
    minutes: int
    ask: Callable[[Drawn], Question]
    judge: Callable[[Drawn, Answer], Verdict]
    picture: Callable[[Drawn, int], bytes] | None
    shown: Callable[[Drawn, Answer], bytes] | None
    solve: Callable[[Drawn], Answer]
    needs_rig: bool = False
    specimens: tuple[str, ...] = ()


def number(answer: Answer, key: str) -> float:
    """A number of an answer. Raises BadInput where there is none."""
    value = answer.get(key)
    if isinstance(value, bool) or not isinstance(value, int | float) or not abs(value) < 1e9:
        raise BadInput("enter a number", field=key)
    return float(value)


def frame_of(answer: Answer, key: str, count: int) -> int:
    """A frame of those shown, counted from 0. Raises BadInput."""
    value = number(answer, key)
    if value != int(value) or not 0 <= value < count:
        raise BadInput(f"choose one of the {count} frames", field=key)
    return int(value)


def several(answer: Answer, key: str, count: int) -> list[int]:
    """Some of so many things, each at most once, counted from 0. Raises BadInput."""
    value = answer.get(key)
    fits = isinstance(value, list) and all(
        isinstance(one, int) and not isinstance(one, bool) and 0 <= one < count for one in value
    )
    if not fits or len(set(value or [])) != len(value or []):
        raise BadInput(f"choose among {count}, each once", field=key)
    return list(value or [])


def choice_of(answer: Answer, key: str, options: list[str]) -> int:
    """One of some words, counted from 0. Raises BadInput."""
    value = answer.get(key)
    if not isinstance(value, str) or value not in options:
        raise BadInput(f"choose one of: {', '.join(options)}", field=key)
    return options.index(value)


def place_of(answer: Answer, key: str) -> tuple[float, float]:
    """A place, as shares of width and height. Raises BadInput."""
    value = answer.get(key)
    fits = (
        isinstance(value, list)
        and len(value) == 2
        and all(isinstance(one, int) and not isinstance(one, bool) and 0 <= one <= 1000 for one in value)
    )
    if not fits or not isinstance(value, list):
        raise BadInput("point at a place in the picture", field=key)
    return value[0] / 1000.0, value[1] / 1000.0
