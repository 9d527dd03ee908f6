"""Exercises against known truth: a perfect answer gets everything, a random one little, whatever is drawn."""

import unittest
from collections.abc import Callable
from statistics import mean
from typing import Any

import cv2
import numpy as np

from amber_ladder.errors import BadInput
from amber_ladder.work.practice.exercises import (
    EXERCISES,
    LEVELS,
    Drawn,
    _bad_frames,
    _day,
    _depth,
    _ends,
    _light,
    _merge_fault,
    _part,
    _way,
)
from amber_ladder.work.practice.exercises import _planning as planning

SEEDS = range(20)
Draw = np.random.Generator


def drawn(kind: str, seed: int, **more: Any) -> Drawn:
    return Drawn(kind=kind, seed=seed, level=1 + seed % LEVELS, **more)


class Scored(unittest.TestCase):
    def scores(
        self,
        kind: str,
        score: Callable[[Drawn, Any], float],
        at_random: Callable[[Drawn, Draw], Any],
        seeds: range = SEEDS,
    ) -> None:
        """Perfect answers, and random ones, over some seeds of all levels."""
        perfect, blind = [], []
        for seed in seeds:
            one, draw = drawn(kind, seed), np.random.default_rng(seed)
            perfect.append(score(one, EXERCISES[kind].solve(one)))
            blind.append(mean(score(one, at_random(one, draw)) for _ in range(5)))
        self.assertGreaterEqual(min(perfect), 0.97, perfect)
        self.assertLess(mean(blind), 0.3, blind)

    def test_aperture_and_step(self) -> None:
        for kind, task_of in (("step", planning.task_of), ("snow", planning.snow_of)):
            with self.subTest(kind):
                self.scores(
                    kind,
                    lambda one, answer, task_of=task_of: planning.score(  # type: ignore[misc]
                        task_of(one), answer["f_number"], answer["step_um"]
                    ),
                    lambda one, draw: {
                        "f_number": 2.8 * 2 ** draw.uniform(0, 4),
                        "step_um": 2 * 10 ** draw.uniform(0, 2.5),
                    },
                )

    def test_ends(self) -> None:
        def at_random(one: Drawn, draw: Draw) -> dict[str, int]:
            first, last = sorted(draw.choice(EXERCISES["ends"].ask(one).frames, 2, replace=False))
            return {"first": int(first), "last": int(last)}

        self.scores("ends", lambda one, answer: _ends.score(one, answer["first"], answer["last"])[0], at_random)

    def test_bad_frames(self) -> None:
        def at_random(one: Drawn, draw: Draw) -> dict[str, list[int]]:
            return {"bad": [int(n) for n in draw.choice(18, 4, replace=False)]}

        self.scores("bad-frames", lambda one, answer: _bad_frames.score(one, answer["bad"]), at_random)

    def test_light(self) -> None:
        self.scores(
            "light",
            lambda one, answer: _light.score(one, answer["stops"]),
            lambda _, draw: {"stops": draw.uniform(-4, 4)},
        )

    def test_depth(self) -> None:
        def at_random(one: Drawn, draw: Draw) -> dict[str, float]:
            count = EXERCISES["depth"].ask(one).frames
            return {
                "one": int(draw.integers(count)),
                "two": int(draw.integers(count)),
                "u_um": 3 * 10 ** draw.uniform(0, 2),
            }

        self.scores(
            "depth", lambda one, answer: _depth.score(one, answer["one"], answer["two"], answer["u_um"]), at_random
        )

    def test_what_went_wrong_in_a_merge(self) -> None:
        def at_random(one: Drawn, draw: Draw) -> dict[str, Any]:
            options = EXERCISES["merge-fault"].ask(one).asked[0].options
            return {"fault": str(draw.choice(options)), "place": [int(n) for n in draw.integers(0, 1001, 2)]}

        self.scores(
            "merge-fault",
            lambda one, answer: _merge_fault.score(one, answer["fault"], *(n / 1000 for n in answer["place"])),
            at_random,
        )

    def test_way_and_window(self) -> None:
        self.scores(
            "way",
            lambda one, answer: _way.score(one, answer["way"]),
            lambda one, draw: {"way": str(draw.choice(EXERCISES["way"].ask(one).asked[0].options))},
        )

    def test_a_part_that_moved(self) -> None:
        def at_random(one: Drawn, draw: Draw) -> dict[str, Any]:
            one_end, other = ([int(n) for n in draw.integers(0, 1001, 2)] for _ in range(2))
            return {"frame": int(draw.integers(1, EXERCISES["part"].ask(one).frames)), "one": one_end, "other": other}

        def score(one: Drawn, answer: dict[str, Any]) -> float:
            ends = ((answer[key][0] / 1000, answer[key][1] / 1000) for key in ("one", "other"))
            return _part.score(one, answer["frame"] - 1, *ends)

        self.scores("part", score, at_random, SEEDS[:6])  # each is a stack that is merged; two of every level

    def test_a_day(self) -> None:
        self.scores(
            "day",
            lambda one, answer: _day.score(one, answer["order"]),
            lambda one, draw: {
                "order": [int(n) for n in draw.permutation(len(_day.sittings_of(one.level, one.seed)[0]))]
            },
        )


class Asked(unittest.TestCase):
    def test_every_exercise_is_asked_judged_and_shown_and_the_program_answers_well(self) -> None:
        for kind, exercise in EXERCISES.items():
            with self.subTest(kind):
                one = Drawn(kind=kind, seed=4, level=1, specimen=None if exercise.specimens else "garnet")
                question = exercise.ask(one)
                answer = exercise.solve(one)
                self.assertEqual({asked.key for asked in question.asked}, set(answer))
                verdict = exercise.judge(one, answer)
                self.assertGreaterEqual(verdict.score, 0.97, verdict)
                self.assertTrue(verdict.figures and verdict.why)
                for figure in verdict.figures:
                    if figure.best is not None:
                        self.assertAlmostEqual(figure.yours or 0.0, figure.best, delta=0.35 * abs(figure.best) + 1.0)
                self.assertEqual(exercise.picture is None, question.frames == 0)
                pictures = [exercise.picture(one, 0)] if exercise.picture else []
                pictures += [exercise.shown(one, answer)] if exercise.shown else []
                for content in pictures:
                    self.assertIsNotNone(cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_COLOR))

    def test_the_same_seed_asks_the_same_and_another_one_something_else(self) -> None:
        for kind in ("step", "snow", "day"):
            asked = [EXERCISES[kind].ask(Drawn(kind=kind, seed=seed)) for seed in (1, 1, 2)]
            self.assertEqual(asked[0], asked[1])
            self.assertNotEqual(asked[0], asked[2])

    def test_what_is_no_answer_is_refused_with_the_field(self) -> None:
        for kind, answer, field in (
            ("step", {"f_number": 4}, "step_um"),
            ("step", {"f_number": 1.0, "step_um": 10}, "f_number"),
            ("light", {"stops": True}, "stops"),
            ("light", {"stops": float("nan")}, "stops"),
            ("ends", {"first": 0, "last": 999}, "last"),
            ("bad-frames", {"bad": [1, 1]}, "bad"),
            ("bad-frames", {"bad": "all"}, "bad"),
            ("merge-fault", {"fault": "bad luck", "place": [5, 5]}, "fault"),
            ("merge-fault", {"fault": "It ended before the far end", "place": [5, 1001]}, "place"),
            ("way", {"way": 3}, "way"),
            ("part", {"frame": 0, "one": [0, 0], "other": [9, 9]}, "frame"),
            ("part", {"frame": 1, "one": [0, 0], "other": 4}, "other"),
        ):
            with self.subTest(kind=kind, answer=answer), self.assertRaises(BadInput) as refused:
                EXERCISES[kind].judge(Drawn(kind=kind, seed=1, specimen=None if kind == "part" else "garnet"), answer)
            self.assertEqual(refused.exception.field, field)


if __name__ == "__main__":
    unittest.main()
