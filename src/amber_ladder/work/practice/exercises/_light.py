"""Set the light: by how many stops must the power change, from a test frame and its look alone."""

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import read_light
from amber_ladder.core.practice import Figure, Verdict, closeness
from amber_ladder.simulated.sensor import encoded as as_seen
from amber_ladder.simulated.specimens import SPECIMENS
from amber_ladder.work.practice.exercises._kinds import Answer, Asked, Drawn, Exercise, Question, number
from amber_ladder.work.practice.exercises._series import Series, encoded, series, specimen_of

_OFF = {1: 3.0, 2: 2.0, 3: 1.3}  # stops, at most
_ROOM = {1: 0.0, 2: 0.0, 3: 0.02}  # the room's light, of full scale


def off_stops(drawn: Drawn) -> float:
    """By how many stops the test frame is off, in thirds; never by none."""
    draw = np.random.default_rng([drawn.seed, 5])
    most = round(3 * _OFF[drawn.level])
    return float(draw.choice([one for one in range(-most, min(most, 6) + 1) if abs(one) >= 2])) / 3.0


def _series_of(drawn: Drawn) -> Series:
    return series(specimen_of(drawn), drawn.seed, (), (round(0.5 * SPECIMENS[specimen_of(drawn)].depth_um, 3),))


def _frame(drawn: Drawn, stops: float) -> NDArray[np.uint8]:
    """The specimen with so many stops too much, as a sensor shows it."""
    found = _series_of(drawn)
    found.frame(0)
    light = found.stand.light(found.positions_um[0])
    return np.asarray(as_seen(light * np.float32(2.0**stops) + np.float32(_ROOM[drawn.level])), np.uint8)


def _picture(drawn: Drawn, index: int) -> bytes:
    return encoded(_frame(drawn, off_stops(drawn)))


def _ask(drawn: Drawn) -> Question:
    return Question(
        "A test frame. Dark parts should be dark, bright parts bright but not washed out. By how many stops must the "
        "flash be changed? More light is a positive number; half the power is −1.",
        [("Flash", "1/16")], [Asked("stops", "number", "Change the light by", "stops")], 1,
    )  # fmt: skip


def solve(drawn: Drawn) -> Answer:
    """The change that undoes it."""
    return {"stops": round(-off_stops(drawn), 2)}


def score(drawn: Drawn, stops: float) -> float:
    """A third of a stop is what a flash can be set to; two stops off spoil it."""
    return closeness(abs(stops + off_stops(drawn)), fine=0.35, poor=2.0)


def _judge(drawn: Drawn, answer: Answer) -> Verdict:
    stops, off = number(answer, "stops"), off_stops(drawn)
    reading = read_light(_frame(drawn, off))
    left = off + stops
    why = [
        f"The frame was {abs(off):.1f} stops {'too bright' if off > 0 else 'too dark'}.",
        f"With your change it would be {abs(left):.1f} stops {'too bright' if left > 0 else 'too dark'}."
        if abs(left) > 0.35
        else "With your change it is right, to a third of a stop.",
        "Washed-out parts hold nothing that could be brought back; dark ones hold it in noise.",
    ]
    return Verdict(
        score(drawn, stops),
        (Figure("Change", "stops", stops, round(reading.change_stops, 2), round(-off, 2)),),
        tuple(why),
    )


def _shown(drawn: Drawn, answer: Answer) -> bytes:
    """As it would be with the change, beside as it should be."""
    left = off_stops(drawn) + number(answer, "stops")
    return encoded(np.hstack([_frame(drawn, min(max(left, -8.0), 8.0)), _frame(drawn, 0.0)]))


LIGHT = Exercise(
    "light", "Set the light", "light", "How much light is missing, or too much, in a test frame?", 1,
    _ask, _judge, _picture, _shown, solve,
)  # fmt: skip
