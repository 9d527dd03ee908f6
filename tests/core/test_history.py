"""A history that was changed, shortened in the middle or sewn together is found out, and where."""

import unittest
from hashlib import sha256
from typing import Any

from amber_ladder.core.history import FIRST, Fault, chained, faults_of, sealed

ENTRIES: list[dict[str, Any]] = [
    {"did": "planned", "words": "stack 1 of TH-1 planned", "facts": {"step_um": 12.5}},
    {"did": "shot", "words": "take 1 complete: 3 frames", "facts": {"frames": ["a", "b", "c"]}},
    {"did": "merged", "words": "merge 1 of take 1 (auto): 3 frames", "facts": {"files": {"composite.tif": "ab"}}},
]


class Chain(unittest.TestCase):
    def test_the_checksum_is_one_that_anybody_can_reckon(self) -> None:
        by_hand = sha256(
            f'{FIRST}\n{{"at":"x","facts":{{"a":[1,2.5],"µ":"\\u00b5"}}}}'.replace('"µ"', '"\\u00b5"').encode()
        )
        self.assertEqual(sealed({"facts": {"µ": "µ", "a": [1, 2.5]}, "at": "x"}, FIRST), by_hand.hexdigest())

    def test_one_that_was_left_as_it_was_holds(self) -> None:
        chain = chained(ENTRIES)
        self.assertEqual(faults_of(chain), [])
        self.assertEqual([one["number"] for one in chain], [1, 2, 3])
        self.assertEqual([one["before"] for one in chain], [FIRST, chain[0]["sha256"], chain[1]["sha256"]])

    def test_any_change_is_found_at_its_entry(self) -> None:
        for name, value in (("words", "take 1 complete: 4 frames"), ("did", "merged"), ("facts", {}), ("by", "X")):
            with self.subTest(name):
                chain = chained(ENTRIES)
                chain[1][name] = value
                self.assertEqual(faults_of(chain), [Fault(2, "was changed after it was written")])

    def test_a_change_that_was_sealed_again_breaks_at_the_next(self) -> None:
        chain = chained(ENTRIES)
        chain[1]["words"] = "take 1 complete: 4 frames"
        chain[1]["sha256"] = sealed(chain[1], chain[1]["before"])
        self.assertEqual(faults_of(chain), [Fault(3, "does not follow on the entry before it")])

    def test_entries_taken_out_put_in_or_swapped(self) -> None:
        chain = chained(ENTRIES)
        for wrong in (
            [chain[0], chain[2]],
            [chain[1], chain[0], chain[2]],
            [chain[0], chain[0], *chain[1:]],
            chain[1:],
        ):
            with self.subTest([one["number"] for one in wrong]):
                self.assertNotEqual(faults_of(wrong), [])

    def test_what_is_no_history(self) -> None:
        self.assertEqual(faults_of([]), [Fault(0, "the history is empty")])
        self.assertEqual(faults_of(["planned"]), [Fault(1, "is no entry")])
        self.assertNotEqual(faults_of([{}]), [])
