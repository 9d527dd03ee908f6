"""What happened while a card was filled: which takes, what separates them, and what went wrong, all from a seed."""

from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from amber_ladder.simulated.card._bench import Lens, Light

Separator = Literal["hand", "black", "blurred", "pause", "folder", "size", "exposure", "content", "focus"]
"""What lies between a take and the one before it. ``content``: another specimen at once; ``focus``: the same once

more, focus starting over."""
Fault = Literal["dark", "bright", "shaken", "jolted", "duplicate", "moved", "out_of_focus", "odd_size"]

KINDS = {
    "insect": ("lacewing-eyes", "jewel-wasp", "springtail"),
    "mineral": ("garnet", "wulfenite", "fluorite"),
    "snow": ("capped-column", "graupel"),
    "plant": ("moss-capsule", "fern-sporangia", "sundew"),
}
_LENSES = ((4.0, 0.12), (5.0, 0.14), (7.5, 0.21), (3.0, 0.09))
_SIZES = ((640, 480), (800, 600), (960, 640))
_CALM = 4
"""Frames between two mishaps, and from the ends of what is sharp: nearer together nobody could tell them apart."""


@dataclass(frozen=True, slots=True)
class Mishap:
    """What goes wrong with a frame, and by how much (stops, px, or sharp depths)."""

    kind: Fault
    amount: float = 0.0
    turn_deg: float = 0.0


@dataclass(frozen=True)
class Take:
    """One take. ``begins``, ``ends`` are how many sharp depths before the nearest detail and behind the farthest focus

    starts and stops; negative where it begins or ends within the specimen. ``steps`` is a step in sharp depths.
    ``mishaps`` and ``hole`` (place of the first missing frame and how many) are shares of the take's length.
    ``focus_noted`` where the lens is stepped by the camera, which writes down how far away it is focused.
    """

    specimen: str
    kind: str
    seed: int
    lens: Lens
    light: Light
    separator: Separator | None
    far_first: bool = False
    by_hand: bool = False
    step: float = 0.7
    begins: float = 3.0
    ends: float = 3.0
    mishaps: tuple[tuple[float, Mishap], ...] = ()
    hole: tuple[float, int] | None = None
    exposure_s: float = 0.01
    focus_noted: bool = False


@dataclass(frozen=True)
class Ways:
    """How a card's camera writes: with times or none, in whole seconds, from which number on, a folder a take."""

    timed: bool = True
    whole_seconds: bool = False
    first_number: int = 1
    exposure_noted: bool = True
    quality: int = 92
    broken: tuple[float, ...] = ()


@dataclass
class _Chances:
    random: np.random.Generator
    used: set[str] = field(default_factory=set)

    def pick(self, options: tuple[str, ...]) -> str:
        return str(self.random.choice(options))

    def maybe(self, chance: float) -> bool:
        return bool(self.random.random() < chance)


def story(seed: int) -> tuple[list[Take], Ways]:
    """Takes and ways of the card of this seed. Odd and even seeds differ in light, contrast, noise and size alike."""
    chances = _Chances(np.random.default_rng([seed, 2026]))
    random = chances.random
    timed = chances.maybe(0.6)
    ways = Ways(
        timed,
        timed and chances.maybe(0.3),
        int(random.choice([1, 412, 9930, 7310])),
        timed and chances.maybe(0.7),
        int(random.integers(84, 96)),
        tuple(float(one) for one in random.uniform(0.05, 0.95, int(random.integers(0, 3)))),
    )
    takes: list[Take] = []
    for _ in range(int(random.integers(4, 7))):
        takes.append(_take(chances, takes[-1] if takes else None, ways))
    return takes, ways


def _take(chances: _Chances, before: Take | None, ways: Ways) -> Take:
    random = chances.random
    again = before is not None and chances.maybe(0.35)
    kind = chances.pick(tuple(KINDS))
    specimen, seed = chances.pick(KINDS[kind]), int(random.integers(1, 10_000))
    lens = Lens(*_SIZES[int(random.integers(len(_SIZES)))], *_LENSES[int(random.integers(len(_LENSES)))])
    light = Light(float(random.uniform(-1.2, 0.2)), float(random.choice([0.0, 0.0, 0.15, 0.35])),
                  float(random.choice([4000.0, 12000.0, 30000.0])))  # fmt: skip
    if before:
        lens = (
            lens
            if chances.maybe(0.25)
            else Lens(before.lens.width_px, before.lens.height_px, lens.magnification, lens.na)
        )
    if again and before:
        specimen, kind, seed, lens, light = before.specimen, before.kind, before.seed, before.lens, before.light
    by_hand = not again and chances.maybe(0.15)
    far_first = chances.maybe(0.4)
    separator = _separator(chances, before, again, lens, ways) if before else None
    if separator in ("focus", "exposure") and before and again:
        far_first = before.far_first
    if separator == "exposure":
        light = Light(light.stops + (0.8 if light.stops < 0.0 else -0.8), light.veil, light.full_well)
    exposure_s = before.exposure_s if before else 0.01
    if separator == "exposure":
        exposure_s *= 2.0 if exposure_s < 0.03 else 0.25
    step = float(random.choice([0.6, 0.75, 0.75, 0.3]))
    cut = chances.maybe(0.15)
    mishaps, hole = ((), None) if by_hand else _wrong(chances, specimen)
    return Take(
        specimen, kind, seed, lens, light, separator, far_first, by_hand, step,
        begins=-3.0 if cut and chances.maybe(0.5) else float(random.uniform(2.5, 5.0)),
        ends=-3.0 if cut and chances.maybe(0.5) else float(random.uniform(2.5, 6.0)),
        mishaps=mishaps, hole=hole if step > 0.5 else None, exposure_s=exposure_s,
    )  # fmt: skip


def _separator(chances: _Chances, before: Take, again: bool, lens: Lens, ways: Ways) -> Separator:
    if not again and (lens.width_px, lens.height_px) != (before.lens.width_px, before.lens.height_px):
        return "size"
    options: list[Separator] = ["hand", "black", "blurred", "folder"]
    if ways.timed:
        options.append("pause")
    if again:
        options += [] if before.by_hand else ["focus"]
        options += ["exposure"] if ways.exposure_noted and not before.by_hand else []
    else:
        options += ["content", "content"]
    return options[int(chances.random.integers(len(options)))]


def _wrong(chances: _Chances, specimen: str) -> tuple[tuple[tuple[float, Mishap], ...], tuple[float, int] | None]:
    random = chances.random
    kinds: list[Mishap] = []
    if chances.maybe(0.4):
        kinds.append(Mishap("dark", float(random.choice([-1.2, -3.0, -5.0, -12.0]))))
    if chances.maybe(0.25):
        kinds.append(Mishap("bright", float(random.uniform(1.0, 2.0))))
    if chances.maybe(0.4):
        kinds.append(Mishap("shaken", float(random.uniform(5.0, 12.0)), float(random.uniform(0, 180))))
    if chances.maybe(0.25):
        kinds.append(Mishap("jolted", float(random.uniform(12.0, 30.0)), float(random.uniform(0, 360))))
    if chances.maybe(0.35):
        kinds.append(Mishap("duplicate", float(random.choice([0.0, 1.0]))))
    if chances.maybe(0.4) and specimen not in ("garnet", "wulfenite", "fluorite"):
        kinds.append(Mishap("moved", float(random.uniform(10.0, 22.0))))
    if chances.maybe(0.3):
        kinds.append(Mishap("out_of_focus", float(random.uniform(8.0, 14.0))))
    if chances.maybe(0.15):
        kinds.append(Mishap("odd_size"))
    random.shuffle(kinds)
    places = sorted(float(one) for one in random.uniform(0.1, 0.9, len(kinds)))
    hole = (float(random.uniform(0.3, 0.7)), int(random.integers(3, 6))) if chances.maybe(0.4) else None
    return tuple(zip(places, kinds, strict=True)), hole


def spaced(places: list[int], first: int, last: int) -> list[int | None]:
    """Places moved apart so that each stands calm between ``first`` and ``last``; None for those without room."""
    placed: list[int | None] = []
    least = first + _CALM
    for place in places:
        at = max(place, least)
        placed.append(at if at <= last - _CALM else None)
        least = at + _CALM if at <= last - _CALM else least
    return placed
