"""Doing exercises: beginning one, its pictures, the answer and its verdict, one's own progress, a trainer's set."""

import secrets
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import datetime
from statistics import mean
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints

from amber_ladder.core.practice import Figure
from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.formats.rig_json import RigJson, Strict
from amber_ladder.simulated.flaws import chosen_flaws
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.store import attempts, rigs
from amber_ladder.store.base import PERSON, now
from amber_ladder.store.database import transaction
from amber_ladder.store.practice_models import Attempt
from amber_ladder.work.practice.exercises import EXERCISES, LEVELS, Asked, Drawn, Exercise, Judgement

_LATELY = 5
_MOST_COUNTED = 500
Note = Annotated[str, StringConstraints(strip_whitespace=True, max_length=500)]


class AttemptEntry(Strict):
    """What to practise. Without a ``seed`` it is drawn anew; ``rig_id`` names a rig of the shelf to practise with."""

    kind: Annotated[str, Field(max_length=40)]
    level: Annotated[int, Field(ge=1, le=LEVELS)] = 1
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] | None = None
    specimen: Annotated[str, Field(max_length=60)] | None = None
    flaws: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=10)] = Field(default_factory=list)
    rig_id: int | None = None
    note: Note = ""
    limit_s: Annotated[int, Field(ge=10, le=3600)] | None = None


class SetItem(Strict):
    """One exercise of a set: always the same, for whoever does it."""

    kind: Annotated[str, Field(max_length=40)]
    level: Annotated[int, Field(ge=1, le=LEVELS)] = 1
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)]
    specimen: Annotated[str, Field(max_length=60)] | None = None
    flaws: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=10)] = Field(default_factory=list)
    note: Note = ""
    limit_s: Annotated[int, Field(ge=10, le=3600)] | None = None


class SetFile(Strict):
    """A trainer's exercises, as they are given as a file."""

    format: Literal["amber-ladder exercises 1"] = "amber-ladder exercises 1"
    title: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
    exercises: Annotated[list[SetItem], Field(min_length=1, max_length=50)]


class AnswerEntry(Strict):
    """What was answered, by the keys of what was asked."""

    answer: Annotated[dict[str, float | int | str | list[int]], Field(max_length=10)]


@dataclass(frozen=True, slots=True)
class ExerciseView:
    """A kind of exercise."""

    key: str
    title: str
    judgement: Judgement
    words: str
    minutes: int
    needs_rig: bool


@dataclass(frozen=True, slots=True)
class ProgressView:
    """One's own answers of one kind of judgement: how many, how good the last ones were, and the highest level.

    ``lately`` is the mean of the last five, 0 to 1, oldest first in ``last``; None where there is none.
    """

    judgement: Judgement
    count: int
    lately: float | None
    last: list[float]
    level: int


@dataclass(frozen=True, slots=True)
class PracticeView:
    """All there is to practise, and one's own progress; ``open_id`` is what was begun and not answered yet."""

    exercises: list[ExerciseView]
    progress: list[ProgressView]
    levels: int
    open_id: int | None


@dataclass(frozen=True, slots=True)
class VerdictView:
    """How good an answer was, 0 to 1, its figures beside the program's own and the best, and why."""

    score: float
    figures: list[Figure]
    why: list[str]
    right: dict[str, Any]
    shown: bool


@dataclass(frozen=True, slots=True)
class AttemptView:
    """An exercise as it is asked, and once it is answered how good that was. ``late`` says that a limit had passed."""

    id: int
    kind: str
    title: str
    level: int
    seed: int
    note: str
    limit_s: int | None
    begun_at: datetime
    words: str
    told: list[tuple[str, str]]
    asked: list[Asked]
    frames: int
    places: list[tuple[float, float]]
    answer: dict[str, Any] | None
    verdict: VerdictView | None
    late: bool


def practice() -> PracticeView:
    """What there is, and how far one is oneself: nobody else is told."""
    with transaction() as session:
        done = attempts.answered(session, _person(), _MOST_COUNTED)
        begun = attempts.unanswered(session, _person())
        progress = _progress([(one.kind, one.level, one.score or 0.0) for one in done])
        open_id = begun.id if begun and begun.kind in EXERCISES else None
    shown = [
        ExerciseView(one.key, one.title, one.judgement, one.words, one.minutes, one.needs_rig)
        for one in EXERCISES.values()
    ]
    return PracticeView(shown, progress, LEVELS, open_id)


def begin(entry: AttemptEntry) -> AttemptView:
    """Begin an exercise. Raises BadInput for what does not exist, NotFound for a rig that is gone."""
    _check(entry)
    with transaction() as session:
        rig = RigJson.model_validate(rigs.get(session, entry.rig_id).definition) if entry.rig_id else None
        if rig is not None and rig.train.kind != "lens":
            raise BadInput("aperture is chosen on a lens: choose a rig with one", field="rig_id")
        seed = secrets.randbelow(2**31) if entry.seed is None else entry.seed
        drawn = Drawn(
            kind=entry.kind, level=entry.level, seed=seed, specimen=entry.specimen, flaws=entry.flaws, rig=rig
        )
        attempt = Attempt(
            person=_person(), kind=entry.kind, level=entry.level, note=entry.note, limit_s=entry.limit_s,
            drawn=drawn.model_dump(mode="json", exclude_none=True),
        )  # fmt: skip
        session.add(attempt)
        session.flush()
        attempt_id = attempt.id
    return read(attempt_id)


def read(attempt_id: int) -> AttemptView:
    """An exercise of one's own. Raises NotFound."""
    with transaction() as session:
        attempt = attempts.get(session, attempt_id, _person())
        kept = _Kept.of(attempt)
    return kept.view()


def picture(attempt_id: int, index: int) -> bytes:
    """A frame of an exercise as JPEG. Raises NotFound."""
    kept = _kept(attempt_id)
    exercise = kept.exercise
    if exercise.picture is None or not 0 <= index < exercise.ask(kept.drawn).frames:
        raise NotFound(f"this exercise has no frame {index + 1}")
    return exercise.picture(kept.drawn, index)


def difference(attempt_id: int) -> bytes:
    """What was answered beside what would have been right, as JPEG. Raises NotFound before it is answered."""
    kept = _kept(attempt_id)
    if kept.exercise.shown is None or kept.answer is None:
        raise NotFound("there is no picture of the difference")
    return kept.exercise.shown(kept.drawn, kept.answer)


def answer(attempt_id: int, entry: AnswerEntry) -> AttemptView:
    """Answer it, once. Raises BadInput with the field, Conflict for a second answer, NotFound."""
    kept = _kept(attempt_id)
    if kept.answer is not None:
        raise Conflict("this exercise is answered: begin another")
    verdict = kept.exercise.judge(kept.drawn, dict(entry.answer))
    with transaction() as session:
        attempt = attempts.get(session, attempt_id, _person(), locked=True)
        if attempt.answer is not None:
            raise Conflict("this exercise is answered: begin another")
        attempt.answer, attempt.score, attempt.answered_at = dict(entry.answer), verdict.score, now()
        attempt.verdict = {"figures": [asdict(one) for one in verdict.figures], "why": list(verdict.why)}
    return read(attempt_id)


def check_set(entry: SetFile) -> SetFile:
    """A trainer's set as it was read; raises BadInput, naming the exercise, for what does not exist."""
    for place, one in enumerate(entry.exercises, start=1):
        try:
            _check(one)
        except BadInput as error:
            raise BadInput(f"exercise {place}: {error}", field=f"exercises.{place - 1}.{error.field}") from error
    return entry


@dataclass(frozen=True, slots=True)
class _Kept:
    """What a row holds, once its session is over: drawing and judging take seconds."""

    id: int
    drawn: Drawn
    note: str
    limit_s: int | None
    begun_at: datetime
    answered_at: datetime | None
    answer: dict[str, Any] | None
    verdict: Mapping[str, Any] | None
    score: float | None

    @classmethod
    def of(cls, row: Attempt) -> "_Kept":
        return cls(
            row.id, Drawn.model_validate(row.drawn), row.note, row.limit_s, row.begun_at, row.answered_at, row.answer,
            row.verdict, row.score,
        )  # fmt: skip

    @property
    def exercise(self) -> Exercise:
        """Its kind."""
        return EXERCISES[self.drawn.kind]

    def view(self) -> AttemptView:
        """For the page."""
        question, verdict = self.exercise.ask(self.drawn), None
        if self.verdict is not None and self.score is not None:
            figures = [Figure(**one) for one in self.verdict["figures"]]
            right = self.exercise.solve(self.drawn)
            verdict = VerdictView(
                self.score, figures, list(self.verdict["why"]), right, self.exercise.shown is not None
            )
        took_s = (self.answered_at - self.begun_at).total_seconds() if self.answered_at else 0.0
        return AttemptView(
            self.id, self.drawn.kind, self.exercise.title, self.drawn.level, self.drawn.seed, self.note, self.limit_s,
            self.begun_at, question.words, question.told, question.asked, question.frames, question.places,
            self.answer, verdict, self.limit_s is not None and took_s > self.limit_s,
        )  # fmt: skip


def _kept(attempt_id: int) -> _Kept:
    with transaction() as session:
        return _Kept.of(attempts.get(session, attempt_id, _person()))


def _check(entry: AttemptEntry | SetItem) -> None:
    if entry.kind not in EXERCISES:
        raise BadInput(f"no exercise is called {entry.kind!r}: choose from {', '.join(EXERCISES)}", field="kind")
    if entry.specimen:
        specimen_for(entry.specimen)
        fit = EXERCISES[entry.kind].specimens
        if fit and entry.specimen not in fit:
            raise BadInput(f"this exercise needs {' or '.join(fit)}", field="specimen")
    for flaw in chosen_flaws(entry.flaws):
        if flaw.at_the_bench:
            raise BadInput(f"the fault {flaw.key!r} shows at the bench only: choose another", field="flaws")


def _person() -> str:
    return PERSON.get() or ""


def _progress(done: list[tuple[str, int, float]]) -> list[ProgressView]:
    """By kind of judgement; ``done`` (kind, level, score) has the latest first."""
    told = []
    for judgement in dict.fromkeys(one.judgement for one in EXERCISES.values()):
        mine = [
            (level, score)
            for kind, level, score in done
            if kind in EXERCISES and EXERCISES[kind].judgement == judgement
        ]
        last = [round(score, 3) for _, score in reversed(mine[:_LATELY])]
        level = max((level for level, _ in mine), default=0)
        told.append(ProgressView(judgement, len(mine), round(mean(last), 3) if last else None, last, level))
    return told
