"""Choose aperture and step: for a stated use, and for a snow crystal that will not wait."""

import base64
from dataclasses import dataclass
from math import ceil, hypot

import numpy as np

from amber_ladder.core.optics import Optics, resolve
from amber_ladder.core.planning import time_to_shrink
from amber_ladder.core.practice import Figure, Verdict, closeness, overall
from amber_ladder.errors import BadInput
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import LensJson, RigJson, SensorJson
from amber_ladder.work.on_disk.planning import stopped
from amber_ladder.work.practice.exercises._kinds import Answer, Asked, Drawn, Exercise, Question, number
from amber_ladder.work.practice.exercises._series import decoded, encoded
from amber_ladder.work.practice.look import LookEntry, look

_OWN = RigJson(
    sensor=SensorJson(width_px=6000, height_px=4000, pixel_um=3.76),
    train=LensJson(f_number=2.8, magnification=4, pupil_magnification=1.2, focal_mm=65),
)
_THIRDS = [round(2.8 * 2.0 ** (third / 6.0), 2) for third in range(25)]  # f/2.8 to f/45, in thirds of a stop
_USUAL_OVERLAP = 0.3


@dataclass(frozen=True, slots=True)
class Task:
    """What is wanted of a plan: a depth (µm), a detail that must be kept everywhere (µm), and the time that there is.

    ``time_s`` is None where the specimen waits.
    """

    rig: RigJson
    depth_um: float
    detail_um: float
    rung_s: float
    time_s: float | None
    told: tuple[tuple[str, str], ...] = ()


def task_of(drawn: Drawn) -> Task:
    """For a use: a detail somewhat larger than what the rig can show at its best."""
    draw = np.random.default_rng([drawn.seed, 6])
    rig = drawn.rig or _OWN
    depth_um = float(np.round(draw.uniform(300, 1600), -1))
    finest_um = min(resolve(stopped(rig, one).to_core()).detail_um for one in _THIRDS)
    detail_um = float(np.round(finest_um * draw.uniform(1.5, 1.5 + 3.0 / drawn.level), 1))
    return Task(rig, depth_um, detail_um, 3.5, None)


def snow_of(drawn: Drawn) -> Task:
    """A crystal that sublimates: as long as its edge has moved by no more than the detail that is wanted."""
    draw = np.random.default_rng([drawn.seed, 7])
    rig = drawn.rig or _OWN
    depth_um, size_um = float(np.round(draw.uniform(250, 700), -1)), float(np.round(draw.uniform(900, 2200), -1))
    celsius, humidity = -float(draw.integers(2, 12)), float(draw.integers(55, 90)) / 100.0
    allowed_um = float(draw.integers(4, 9))
    found = time_to_shrink(air_celsius=celsius, humidity=humidity, size_um=size_um, allowed_um=allowed_um)
    # The model holds for still air; the bench is not: a lamp, a breath.
    time_s = min((found.seconds or 600.0) / 2.0, 400.0)
    told = (
        ("Air", f"{celsius:.0f} °C, {100 * humidity:.0f} % humidity"),
        ("Crystal", f"{size_um:.0f} µm across"),
        ("Its edge keeps within", f"{allowed_um:.0f} µm for {time_s:.0f} s"),
    )
    return Task(rig, depth_um, 0.0, 4.0 - 0.5 * drawn.level, max(time_s, 25.0), told)


def worst_um(optics: Optics, step_um: float) -> float:
    """The smallest detail halfway between two rungs: diffraction and pixels, and the disc of half a step's defocus."""
    return hypot(optics.detail_um, step_um * optics.numerical_aperture)


def _optics(task: Task, f_number: float) -> Optics:
    return resolve(stopped(task.rig, f_number).to_core())


def frames_of(task: Task, step_um: float) -> int:
    """Frames over the depth."""
    return ceil(task.depth_um / step_um) + 1


def _widest_step_um(optics: Optics, detail_um: float) -> float:
    """The largest step that keeps a detail; 0 where the aperture alone does not."""
    left = detail_um**2 - optics.detail_um**2
    return left**0.5 / optics.numerical_aperture if left > 0.0 else 0.0


def best_of(task: Task) -> tuple[float, float]:
    """The aperture and step with the fewest frames that keep the detail; in a given time, with the finest detail."""
    found: list[tuple[float, float, float]] = []
    for f_number in _THIRDS:
        optics = _optics(task, f_number)
        if task.time_s is None:
            step_um = _widest_step_um(optics, task.detail_um)
            if step_um > 0.0:
                found.append((frames_of(task, step_um), f_number, step_um))
        else:
            frames = max(int(task.time_s / task.rung_s), 2)
            step_um = task.depth_um / (frames - 1)
            found.append((worst_um(optics, step_um), f_number, step_um))
    _, f_number, step_um = min(found)
    return f_number, step_um


def _programs(task: Task) -> tuple[float, float]:
    """Its own rule: the widest aperture that the detail needs, and 30 % overlap; in a hurry, what the time allows."""
    if task.time_s is not None:
        f_number, step_um = best_of(task)
        return f_number, step_um
    fitting = [one for one in _THIRDS if _optics(task, one).detail_um <= 0.9 * task.detail_um]
    f_number = max(fitting, default=_THIRDS[0])
    optics = _optics(task, f_number)
    return f_number, min(optics.sharp_depth_um.total * (1 - _USUAL_OVERLAP), _widest_step_um(optics, task.detail_um))


def score(task: Task, f_number: float, step_um: float) -> float:
    """Detail that is kept, against frames that it takes; in a given time, also what is lost of the depth."""
    optics, (best_f, best_step) = _optics(task, f_number), best_of(task)
    worst, best = worst_um(optics, step_um), worst_um(_optics(task, best_f), best_step)
    frames, fewest = frames_of(task, step_um), frames_of(task, best_step)
    if task.time_s is None:
        return overall([
            closeness(worst / task.detail_um, fine=1.02, poor=2.5), closeness(frames / fewest, fine=1.3, poor=6.0),
        ])  # fmt: skip
    shot = min(int(task.time_s / task.rung_s), frames) / frames
    return overall([closeness(worst / best, fine=1.08, poor=3.0), closeness(1.0 / shot, fine=1.04, poor=2.5)])


def _ask(drawn: Drawn) -> Question:
    task = task_of(drawn)
    return Question(
        "Choose the marked aperture and the step: the detail below must be kept everywhere, also halfway between two "
        "rungs, with as few frames as that takes.",
        [
            *_rig_told(task),
            ("Depth of the specimen", f"{task.depth_um:.0f} µm"),
            ("Detail that must be kept", f"{task.detail_um:.1f} µm"),
        ],
        _ASKED,
    )


def _ask_snow(drawn: Drawn) -> Question:
    task = snow_of(drawn)
    return Question(
        "The crystal sublimates while you shoot. Choose the marked aperture and the step, so that as much of it as "
        "possible is kept, from the first rung to the last, before its edge has moved too far.",
        [
            *_rig_told(task), *task.told,
            ("Depth of the crystal", f"{task.depth_um:.0f} µm"), ("Each rung takes", f"{task.rung_s:.1f} s"),
        ],
        _ASKED,
    )  # fmt: skip


_ASKED = [Asked("f_number", "number", "Marked aperture", "f/"), Asked("step_um", "number", "Step", "µm")]


def _rig_told(task: Task) -> list[tuple[str, str]]:
    optics = resolve(task.rig.to_core())
    return [
        ("Magnification", f"{optics.magnification:.3g} ×"), ("Pixel on the specimen", f"{optics.pixel_um:.2f} µm"),
        ("Apertures", f"f/{_THIRDS[0]:g} to f/{_THIRDS[-1]:g}"),
    ]  # fmt: skip


def _answered(answer: Answer) -> tuple[float, float]:
    f_number, step_um = number(answer, "f_number"), number(answer, "step_um")
    if not _THIRDS[0] - 0.01 <= f_number <= _THIRDS[-1] + 1.0:
        raise BadInput(f"this lens closes from f/{_THIRDS[0]:g} to f/{_THIRDS[-1]:g}", field="f_number")
    if not 0.1 <= step_um <= 2000.0:
        raise BadInput("a step lies between 0.1 and 2000 µm", field="step_um")
    return f_number, step_um


def _judged(task: Task, answer: Answer) -> Verdict:
    chosen, own, best = _answered(answer), _programs(task), best_of(task)
    figures: list[Figure] = [
        Figure(
            "Detail at the worst place",
            "µm",
            *(round(worst_um(_optics(task, f), s), 2) for f, s in (chosen, own, best)),
        ),
        Figure("Frames", "", *(float(frames_of(task, s)) for _, s in (chosen, own, best))),
    ]
    optics = _optics(task, chosen[0])
    blur_um = chosen[1] * optics.numerical_aperture
    more = "diffraction and pixels" if optics.detail_um > blur_um else "the step"
    why = [
        f"At f/{chosen[0]:.2g} (effective f/{optics.effective_f_number:.0f}) the finest detail is "
        f"{optics.detail_um:.1f} µm; half a step of {chosen[1]:.0f} µm blurs by {blur_um:.1f} µm: {more} decides.",
        f"Best would be f/{best[0]:.2g} with a step of {best[1]:.0f} µm.",
    ]
    if task.time_s is not None:
        ends = [min(int(task.time_s / task.rung_s), frames_of(task, s)) for _, s in (chosen, own, best)]
        lost = [float(frames_of(task, s) - one) for (_, s), one in zip((chosen, own, best), ends, strict=True)]
        figures.append(Figure("Frames lost", "", *lost))
        why.append(
            f"{frames_of(task, chosen[1])} rungs take {frames_of(task, chosen[1]) * task.rung_s:.0f} s of "
            f"{task.time_s:.0f} s: "
            + (f"the last {lost[0]:.0f} show another crystal." if lost[0] else "all of them are shot in time.")
        )
    else:
        worst = worst_um(optics, chosen[1])
        why.append(
            f"{worst:.1f} µm at the worst place: {'kept' if worst <= 1.02 * task.detail_um else 'the detail is lost'}."
        )
    return Verdict(score(task, *chosen), tuple(figures), tuple(why))


def _solved(task: Task) -> Answer:
    f_number, step_um = best_of(task)
    return {"f_number": f_number, "step_um": step_um}


def _looks(task: Task, answer: Answer, kind: str) -> bytes:
    """A patch through the chosen plan, beside one through the best."""
    pictures = []
    for f_number, step_um in (_answered(answer), best_of(task)):
        plan = LadderRequestJson(near_um=0.0, far_um=task.depth_um, step_um=step_um)
        seen = look(LookEntry(rig=task.rig, plan=plan, kind=kind, marked_f_number=f_number))
        pictures.append(decoded(base64.b64decode(seen.jpeg)))
    return encoded(np.hstack(pictures))


STEP = Exercise(
    "step", "Aperture and step", "planning", "How far to close the lens, and how far apart the rungs, for a use?",
    3, _ask, lambda drawn, answer: _judged(task_of(drawn), answer), None,
    lambda drawn, answer: _looks(task_of(drawn), answer, "insect"), lambda drawn: _solved(task_of(drawn)),
    needs_rig=True,
)  # fmt: skip
SNOW = Exercise(
    "snow", "A crystal that melts", "planning", "Aperture and step against the clock, from first frame to last.",
    3, _ask_snow, lambda drawn, answer: _judged(snow_of(drawn), answer), None,
    lambda drawn, answer: _looks(snow_of(drawn), answer, "snow"), lambda drawn: _solved(snow_of(drawn)),
    needs_rig=True,
)  # fmt: skip
