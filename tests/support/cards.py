"""Simulated cards, small enough for tests, laid into a folder and looked through once a test run."""

import os
import pickle
import tempfile
import time
from collections.abc import Iterator, Sequence
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import cast

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import no_progress
from amber_ladder.core.sorting.run import Flag, Run, SeenFile, Stack, sort_run
from amber_ladder.launch.serve import SOURCE
from amber_ladder.simulated.card import Lens, Light, Mishap, SimulatedCard, Take, Ways, fill_card
from amber_ladder.work import card as work
from amber_ladder.work.card import CardView
from amber_ladder.work.on_disk.checking import files_on, look_through
from tests.support.station import database
from tests.support.takes import have_done

_KEPT_S = 7 * 24 * 3600.0
LENS = Lens(480, 360, 6.0, 0.18)
UNTIMED = Ways(timed=False, exposure_noted=False)
MISHAPS = (
    (0.1, Mishap("dark", -3.0)),
    (0.22, Mishap("shaken", 9.0, 20.0)),
    (0.34, Mishap("jolted", 20.0, 40.0)),
    (0.46, Mishap("duplicate")),
    (0.58, Mishap("out_of_focus", 10.0)),
    (0.7, Mishap("bright", 1.4)),
    (0.82, Mishap("odd_size")),
)


def take(specimen: str, **more: object) -> Take:
    """A take in a usual light."""
    told = {"kind": "any", "seed": 3, "lens": LENS, "light": Light(-0.5), "separator": None, **more}
    return Take(specimen, **told)  # type: ignore[arg-type]


class Sorted:
    """A card that was sorted, with what is true of it."""

    def __init__(self, takes: Sequence[Take], ways: Ways = UNTIMED) -> None:
        self.card: SimulatedCard = _filled(takes, ways)
        with tempfile.TemporaryDirectory() as folder:
            write_card(self.card, Path(folder))
            files, _ = files_on(Path(folder))
            self.files: list[SeenFile]
            self.files, self.unreadable = look_through(files, no_progress)
        self.run: Run = sort_run(self.files)

    def names(self, places: Sequence[int]) -> list[str]:
        """Names of files at these places."""
        return [self.files[place].name for place in places]

    def flags(self, stack: Stack) -> set[tuple[str, str]]:
        """Names and kinds of what was flagged."""
        return {(self.files[flag.place].name, flag.kind) for flag in stack.flags}

    def flag(self, kind: str) -> Flag:
        """The only flag of a kind."""
        (found,) = [flag for stack in self.run.stacks for flag in stack.flags if flag.kind == kind]
        return found

    def true_flags(self, number: int) -> set[tuple[str, str]]:
        """Names and kinds of what is wrong with the frames of a take."""
        return {(file.path, kind) for file in self.card.files if file.take == number for kind in file.flags}

    def frames(self, number: int) -> list[str]:
        """Names of a take's frames."""
        return [file.path for file in self.card.files if file.take == number]


def _filled(takes: Sequence[Take], ways: Ways) -> SimulatedCard:
    """A card of these takes: made once by the same code, for several suites look at the same ones."""
    told = sha256(repr((takes, ways)).encode())
    for part in ("simulated", "core/optics"):
        for path in sorted((SOURCE / "src/amber_ladder" / part).rglob("*.py")):
            told.update(path.read_bytes())
    told.update((SOURCE / "requirements/run.lock").read_bytes())
    kept = SOURCE / ".stamps/cards" / told.hexdigest()
    if kept.exists():
        return cast(SimulatedCard, pickle.loads(kept.read_bytes()))
    card = fill_card(takes, ways)
    kept.parent.mkdir(parents=True, exist_ok=True)
    for old in kept.parent.iterdir():
        if old.stat().st_mtime < time.time() - _KEPT_S:
            old.unlink(missing_ok=True)
    whole = kept.with_name(f"{os.getpid()}.part")  # two suites may make the same one
    whole.write_bytes(pickle.dumps(card))
    whole.replace(kept)
    return card


def write_card(card: SimulatedCard, folder: Path) -> None:
    """Lay a card's files into a folder."""
    for file in card.files:
        path = folder / file.path
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(file.content)


@cache
def three_takes() -> Sorted:
    """The same crystal twice, with nothing between, then a lacewing after a hand; all untimed. The first has mishaps."""
    return Sorted(
        [
            take("garnet", step=0.25, mishaps=MISHAPS),
            take("garnet", step=0.7, separator="focus", ends=-4.0),
            take("lacewing-eyes", separator="hand", far_first=True, hole=(0.45, 4)),
        ]
    )


@cache
def told_apart() -> Sorted:
    """Timed takes: one by hand after a black frame, one after a pause, one with another exposure."""
    return Sorted(
        [
            take("moss-capsule", step=1.2, far_first=True),
            take("fern-sporangia", by_hand=True, separator="black"),
            take("moss-capsule", step=1.2, separator="pause", far_first=True),
            take("moss-capsule", step=1.2, separator="exposure", far_first=True, exposure_s=0.02),
        ],
        Ways(first_number=9990),
    )


@cache
def brought_in() -> CardView:
    """Those three takes as a card of a station, brought in and looked at."""
    database()
    return bring(three_takes().card, "three takes")


def bring(card: SimulatedCard, name: str) -> CardView:
    """Bring a card in as a page does, and have it looked at."""
    begun = work.begin(work.CardEntry(name=name))
    for file in card.files:
        work.add_file(begun.id, file.path, [file.content])
    looking = work.look_at_card(begun.id)
    assert looking.task is not None
    have_done(looking.task.id)
    done = work.read(begun.id)
    assert done.task is not None
    assert done.task.state == "done", done.task.message
    return done


def sweep(count: int) -> Iterator[NDArray[np.float32]]:
    """Frames of linear light (256, 384, 3) focused through a flat texture."""
    texture = np.random.default_rng(5).uniform(0.05, 0.6, (256, 384, 3)).astype(np.float32)
    for at in range(count):
        blur = 0.6 + 1.2 * abs(at - (count - 1) / 2)
        yield np.asarray(cv2.GaussianBlur(texture, (0, 0), blur), np.float32)


def names(view: CardView, numbers: list[int]) -> list[str]:
    """What files are called."""
    by_id = {file.id: file.name for file in view.files}
    return [by_id[number] for number in numbers]
