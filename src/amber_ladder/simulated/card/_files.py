"""The files of a card, and what is true of each."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.simulated.card._bench import CardBench
from amber_ladder.simulated.card._story import Mishap, Take, Ways, spaced, story
from amber_ladder.simulated.jpeg import Exposed, encode_jpeg

_BEGAN = datetime(2026, 3, 14, 9, 30)
_NEAR_M = 0.2  # where a lens that is stepped by the camera is focused on the nearest detail
_LITTLE, _SOME = 0.0003, 0.003
"""Shares of all detail: with less in focus a frame shows nothing sharp, with more everybody sees that it does."""
_TELLING = 0.01
_ENDS = (0.003, 0.997)
_CLIPPED_SHARE = 0.01


@dataclass
class CardFile:
    """A file. ``take`` counts from 0, None for a separator; ``focus_um`` is where it was focused, below the nearest

    point of the specimen. ``flags`` are what is wrong with it, ``unsure`` what may be called so or not: a frame in
    which hardly anything is in focus. ``content`` is the file itself.
    """

    name: str
    folder: str
    content: bytes
    take: int | None
    focus_um: float | None = None
    flags: frozenset[str] = frozenset()
    unsure: frozenset[str] = frozenset()
    broken: bool = False

    @property
    def path(self) -> str:
        """Where it lies on the card."""
        return f"{self.folder}/{self.name}" if self.folder else self.name


@dataclass
class TakeTruth:
    """What is true of a take; names of files as their paths, in shooting order.

    ``first`` and ``last`` bound (from, to) where what is worth keeping begins and ends. ``gaps`` are (after, before,
    missing). ``reached`` says of near and far whether focus went beyond all detail; None where it did not, but nothing
    is in focus at that end either: no picture tells that more lies beyond.
    """

    take: Take
    order: str
    first: tuple[str, str]
    last: tuple[str, str]
    gaps: list[tuple[str, str, int]] = field(default_factory=list)
    reached: tuple[bool | None, bool | None] = (True, True)


@dataclass
class SimulatedCard:
    """A card: its files in the order they were shot, and its takes."""

    files: list[CardFile]
    takes: list[TakeTruth]
    ways: Ways


@dataclass
class _Moment:
    """The camera's counter and clock."""

    ways: Ways
    number: int
    at: datetime = _BEGAN
    folder: str = ""

    def written(self, picture: NDArray[np.uint8], exposed: Exposed, *, again: bytes | None = None) -> tuple[str, bytes]:
        name = f"TH{self.number:04d}.JPG"
        self.number = self.number % 9999 + 1
        content = again or encode_jpeg(
            picture, captured_at=self.at if self.ways.timed else None,
            exposed=exposed if self.ways.exposure_noted else None,
            whole_seconds=self.ways.whole_seconds, quality=self.ways.quality,
        )  # fmt: skip
        return name, content

    def wait(self, seconds: float) -> None:
        self.at += timedelta(seconds=seconds)


def shoot_card(seed: int) -> SimulatedCard:
    """Fill the card of this seed: several takes, and all that can happen to them."""
    return fill_card(*story(seed), seed=seed)


def fill_card(told: Sequence[Take], ways: Ways, *, seed: int = 0) -> SimulatedCard:
    """Fill a card with these takes."""
    random = np.random.default_rng([seed, 5])
    moment = _Moment(ways, ways.first_number)
    card = SimulatedCard([], [], ways)
    for number, take in enumerate(told):
        bench = CardBench(take.specimen, take.lens, take.light, take.seed)
        if number:
            card.files += _between(take, told[number - 1], bench, moment, number)
        files, truth = _shot(take, number, bench, moment, random)
        card.files += files
        card.takes.append(truth)
    for share in ways.broken:
        one = card.files[int(share * len(card.files))]
        if one.take is not None and not one.flags and _is_inside(one, card):
            one.content, one.broken = one.content[: len(one.content) // 3], True
    return card


def _is_inside(one: CardFile, card: SimulatedCard) -> bool:
    assert one.take is not None
    truth, paths = card.takes[one.take], [file.path for file in card.files]
    return paths.index(truth.first[1]) + 1 < paths.index(one.path) < paths.index(truth.last[0]) - 1


def _between(take: Take, before: Take, bench: CardBench, moment: _Moment, number: int) -> list[CardFile]:
    """What lies between a take and the one before it."""
    if take.separator == "folder":
        moment.folder = f"{100 + number}TARN"
    if take.separator == "pause":
        moment.wait(260.0)
    else:
        moment.wait(14.0 if take.separator == "focus" else 25.0)
    if take.separator not in ("hand", "black", "blurred"):
        return []
    name, content = moment.written(bench.blank(take.separator), _exposed(take))
    moment.wait(8.0)
    return [CardFile(name, moment.folder, content, None)]


def _exposed(take: Take, focus_um: float = 0.0) -> Exposed:
    return Exposed(take.exposure_s, 4.0, 100, _NEAR_M + 1e-6 * focus_um if take.focus_noted else None)


def _shot(
    take: Take, number: int, bench: CardBench, moment: _Moment, random: np.random.Generator
) -> tuple[list[CardFile], TakeTruth]:
    detail = bench.telling_um()
    near, far = (float(np.quantile(detail, q)) for q in _ENDS)
    focus = _by_hand(near, far, bench, random) if take.by_hand else _by_rail(take, near, far, bench)
    shares = [float(np.mean(np.abs(detail - at) < 0.5 * bench.sharp_um)) for at in focus]
    sharp = [place for place, share in enumerate(shares) if share > _SOME]
    mishaps, hole = _placed(take, sharp[0], sharp[-1])
    # Where nothing is sharp nobody can tell what went wrong.
    mishaps = {at: one for at, one in mishaps.items() if min(shares[at - 1 : at + 2]) > _TELLING}
    files: list[CardFile] = []
    shift, turn, aside = np.zeros(2), 0.0, 0.0
    kept: list[tuple[int, CardFile]] = []
    for place, at in enumerate(focus):
        if place in hole:
            continue
        mishap = mishaps.get(place)
        steady = 0.25 if not take.by_hand else 5.0
        shift, turn = (
            shift + random.normal(0.0, steady, 2),
            turn + float(random.normal(0.0, 0.004 * (1 if not take.by_hand else 20))),
        )
        if mishap and mishap.kind == "jolted":
            shift = shift + mishap.amount * np.array(
                [np.cos(np.radians(mishap.turn_deg)), np.sin(np.radians(mishap.turn_deg))]
            )
        if mishap and mishap.kind == "moved":
            aside += mishap.amount * bench.pixel_um
        for one in _files(take, number, bench, moment, mishap, at, (shift, turn, aside), files):
            if take.by_hand and sharp[0] < place < sharp[-1]:
                _rocked_past(one, shares[place])
            files.append(one)
            kept.append((place, one))
        moment.wait(0.15 if take.by_hand else 2.0 + float(random.uniform(0, 0.3)))
    return files, _truth(take, kept, hole, detail, bench.sharp_um)


def _files(
    take: Take, number: int, bench: CardBench, moment: _Moment, mishap: Mishap | None, at_um: float,
    lies: tuple[NDArray[np.float64], float, float], before: list[CardFile],
) -> Iterator[CardFile]:  # fmt: skip
    kind = mishap.kind if mishap else None
    amount = mishap.amount if mishap else 0.0
    focus = at_um + amount * bench.sharp_um if kind == "out_of_focus" and _nothing_at(at_um, amount, bench) else at_um
    if kind == "out_of_focus" and focus == at_um:
        focus = bench.depth_um + amount * bench.sharp_um
    picture, clipped = bench.exposed(
        focus, shift_px=lies[0], turn_deg=lies[1], aside_um=lies[2],
        stops=amount if kind in ("dark", "bright") else 0.0,
        smear_px=amount if kind == "shaken" else 0.0, smear_deg=mishap.turn_deg if mishap else 0.0,
    )  # fmt: skip
    flags: set[str] = {kind} if kind and kind != "duplicate" else set()
    if clipped > _CLIPPED_SHARE:
        flags.add("clipped")
    if kind == "odd_size":
        half = (take.lens.width_px // 2, take.lens.height_px // 2)
        picture = np.asarray(cv2.resize(picture, half, interpolation=cv2.INTER_AREA), np.uint8)
    name, content = moment.written(picture, _exposed(take, focus))
    yield CardFile(name, moment.folder, content, number, focus, frozenset(flags))
    if kind == "duplicate":
        moment.wait(1.0)
        again = content if amount else None
        picture, _ = bench.exposed(focus, shift_px=lies[0], turn_deg=lies[1], aside_um=lies[2])
        name, content = moment.written(picture, _exposed(take, focus), again=again)
        yield CardFile(name, moment.folder, content, number, focus, frozenset({"duplicate"} | (flags & {"clipped"})))


def _rocked_past(one: CardFile, share: float) -> None:
    """By hand focus goes past the specimen's ends now and then, and nothing is sharp."""
    if share <= _LITTLE:
        one.flags = one.flags | {"out_of_focus"}
    elif share < _TELLING:
        one.unsure = frozenset({"out_of_focus"})


def _nothing_at(at_um: float, amount: float, bench: CardBench) -> bool:
    return at_um + amount * bench.sharp_um > bench.depth_um + 5.0 * bench.sharp_um


def _by_rail(take: Take, near: float, far: float, bench: CardBench) -> list[float]:
    step = take.step * bench.sharp_um
    room = (far - near) / bench.sharp_um  # of a shallow specimen too little would be left, were both ends cut off
    before, after = (max(one, -room / 4.0) for one in (take.begins, take.ends))
    begins, ends = near - before * bench.sharp_um, far + after * bench.sharp_um
    focus = list(np.arange(begins, ends, step).astype(float))
    return focus[::-1] if take.far_first else focus


def _by_hand(near: float, far: float, bench: CardBench, random: np.random.Generator) -> list[float]:
    """Rocked through focus: there and back, several times, unevenly."""
    half, middle = 0.5 * (far - near) + 2.0 * bench.sharp_um, 0.5 * (near + far)
    count = 36
    turns = np.cumsum(random.uniform(0.7, 1.3, count)) * 2 * np.pi * 2.2 / count
    return [float(middle + half * np.sin(turn) + random.normal(0, 0.5 * bench.sharp_um)) for turn in turns]


def _placed(take: Take, first: int, last: int) -> tuple[dict[int, Mishap], range]:
    wanted = [first + round(share * (last - first)) for share, _ in take.mishaps]
    placed = spaced(wanted, first, last)
    mishaps = {at: one for at, (_, one) in zip(placed, take.mishaps, strict=True) if at is not None}
    if not take.hole:
        return mishaps, range(0)
    start = first + round(take.hole[0] * (last - first))
    hole = range(start, start + take.hole[1])
    free = all(abs(at - start) > 4 and abs(at - hole[-1]) > 4 for at in mishaps)
    return mishaps, hole if free and start - first > 3 and last - hole[-1] > 3 else range(0)


def _truth(
    take: Take, kept: list[tuple[int, CardFile]], hole: range, detail: NDArray[np.float32], sharp_um: float
) -> TakeTruth:
    fit = [file for _, file in kept if take.by_hand or "out_of_focus" not in file.flags]
    focus = [file.focus_um or 0.0 for file in fit]
    near, far = (float(np.quantile(detail, q)) for q in _ENDS)
    beyond = (min(focus) < near - 0.5 * sharp_um, max(focus) > far + 0.5 * sharp_um)
    seen = [float(np.mean(np.abs(detail - um) < 0.5 * sharp_um)) > _SOME for um in (min(focus), max(focus))]
    near_reached, far_reached = (
        True if one else False if told else None for one, told in zip(beyond, seen, strict=True)
    )
    reached = (near_reached, far_reached)
    ends = reached[::-1] if take.far_first else reached
    bounds = []
    for share in (_LITTLE, _SOME):
        worth = [at for at, um in enumerate(focus) if np.mean(np.abs(detail - um) < 0.5 * sharp_um) > share]
        # What lies beyond an end that was not reached is best in the frame at that end, however blurred.
        first = 0 if ends[0] is False and not take.by_hand else worth[0]
        last = len(fit) - 1 if ends[1] is False and not take.by_hand else worth[-1]
        bounds.append((fit[first].path, fit[last].path))
    (loose_first, loose_last), (first_seen, last_seen) = bounds
    gaps = []
    if hole:
        after = [file.path for place, file in kept if place < hole[0]][-1]
        gaps = [(after, next(file.path for place, file in kept if place > hole[-1]), len(hole))]
    order = "unknown" if take.by_hand else "far-first" if take.far_first else "near-first"
    return TakeTruth(take, order, (loose_first, first_seen), (last_seen, loose_last), gaps, reached)
