"""Doing exercises: begun, seen, answered once, and one's own progress that nobody else sees."""

import unittest
from typing import Any

from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.store.base import PERSON
from amber_ladder.work import rigs
from amber_ladder.work.practice import attempts
from amber_ladder.work.practice.exercises import EXERCISES, Drawn
from tests.support.examples import RIG
from tests.support.station import database


def begun(**entry: Any) -> attempts.AttemptView:
    return attempts.begin(attempts.AttemptEntry.model_validate({"kind": "light", "specimen": "garnet", **entry}))


class Attempts(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        database()

    def setUp(self) -> None:
        token = PERSON.set("PR")
        self.addCleanup(PERSON.reset, token)

    def answered(self, one: attempts.AttemptView, **answer: Any) -> attempts.AttemptView:
        return attempts.answer(one.id, attempts.AnswerEntry(answer=answer))

    def test_an_exercise_is_begun_seen_and_answered_once(self) -> None:
        one = begun(level=2, seed=7)
        self.assertEqual((one.level, one.seed, one.frames, one.verdict), (2, 7, 1, None))
        self.assertEqual(attempts.practice().open_id, one.id)
        self.assertEqual(attempts.picture(one.id, 0)[:2], b"\xff\xd8")
        with self.assertRaisesRegex(NotFound, "no picture of the difference"):
            attempts.difference(one.id)
        with self.assertRaisesRegex(NotFound, "no frame 2"):
            attempts.picture(one.id, 1)
        with self.assertRaises(BadInput):
            self.answered(one, stops="much")
        right = EXERCISES["light"].solve(Drawn(kind="light", level=2, seed=7, specimen="garnet"))
        told = self.answered(one, **right)
        assert told.verdict is not None
        self.assertEqual((told.verdict.score, told.verdict.right), (1.0, right))
        self.assertEqual(attempts.difference(one.id)[:2], b"\xff\xd8")
        self.assertIsNone(attempts.practice().open_id)
        with self.assertRaisesRegex(Conflict, "is answered"):
            self.answered(one, stops=0)

    def test_progress_is_ones_own_by_kind_of_judgement(self) -> None:
        PERSON.set("PR-2")
        for seed, right in ((1, True), (2, True), (3, False)):
            one = begun(seed=seed)
            solved = EXERCISES["light"].solve(Drawn(kind="light", seed=seed, specimen="garnet"))["stops"]
            self.answered(one, stops=solved if right else solved + 5.0)
        light = next(one for one in attempts.practice().progress if one.judgement == "light")
        self.assertEqual((light.count, light.last, light.level), (3, [1.0, 1.0, 0.0], 1))
        self.assertAlmostEqual(light.lately or 0.0, 2 / 3, places=3)
        PERSON.set("PR-3")
        self.assertEqual([one.count for one in attempts.practice().progress], [0] * len(attempts.practice().progress))
        with self.assertRaisesRegex(NotFound, "of yours"):
            attempts.read(one.id)

    def test_it_is_drawn_anew_each_time_and_the_same_where_a_seed_is_given(self) -> None:
        self.assertNotEqual(begun().seed, begun().seed)
        one, two = (begun(kind="step", specimen=None, seed=11) for _ in range(2))
        self.assertEqual((one.told, one.words), (two.told, two.words))

    def test_with_a_rig_of_the_station(self) -> None:
        lens = {"kind": "lens", "f_number": 4, "magnification": 2, "focal_mm": 100}
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "a lens to practise with", "train": lens}))
        other = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "no lens to practise with"}))
        told = dict(begun(kind="step", specimen=None, rig_id=rig.id).told)
        self.assertEqual((told["Magnification"], told["Pixel on the specimen"]), ("2 ×", "2.50 µm"))
        with self.assertRaisesRegex(BadInput, "choose a rig with one"):
            begun(kind="step", specimen=None, rig_id=other.id)

    def test_what_does_not_exist_is_refused(self) -> None:
        for entry, words in (
            ({"kind": "juggling"}, "no exercise is called 'juggling'"),
            ({"specimen": "unicorn"}, "unicorn"),
            ({"flaws": ["silence"]}, "shows at the bench only"),
        ):
            with self.subTest(entry), self.assertRaisesRegex(BadInput, words):
                begun(**entry)

    def test_a_trainers_set_is_looked_through(self) -> None:
        item = {"kind": "ends", "level": 2, "seed": 5, "specimen": "garnet", "flaws": ["noise"], "note": "mind the rim"}
        told = attempts.SetFile.model_validate({"title": "first week", "exercises": [item, {"kind": "day", "seed": 1}]})
        self.assertEqual(attempts.check_set(told), told)
        wrong = attempts.SetFile.model_validate(
            {"title": "first week", "exercises": [item, {"kind": "juggling", "seed": 1}]}
        )
        with self.assertRaisesRegex(BadInput, "exercise 2: no exercise is called") as refused:
            attempts.check_set(wrong)
        self.assertEqual(refused.exception.field, "exercises.1.kind")

    def test_a_limit_is_told_and_what_comes_late_is_said_to_be(self) -> None:
        one = begun(limit_s=10, note="quick")
        self.assertEqual((one.limit_s, one.note, one.late), (10, "quick", False))


if __name__ == "__main__":
    unittest.main()
