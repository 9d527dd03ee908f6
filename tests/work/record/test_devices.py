"""The record says what moved and what exposed, and which faults were switched on for practice."""

import unittest

from amber_ladder.store.models import Take
from amber_ladder.work import record
from amber_ladder.work.record.records import shot_with
from tests.support.takes import a_merge, shot_stack, take_of


class ShotWith(unittest.TestCase):
    def words(self, source: str, **devices: object) -> str:
        return shot_with(Take(source=source, devices={"folder": None, "flaws": [], **devices}))

    def test_each_kind_of_take_in_its_words(self) -> None:
        real = self.words("bench", rail="/dev/ttyUSB0", camera="folder", folder="/card")
        self.assertEqual(real, "rail /dev/ttyUSB0, files from a watched folder")
        self.assertEqual(
            self.words("bench", rail="simulated", camera="simulated"), "a simulated rail, a simulated camera"
        )
        lit = self.words("bench", rail="simulated", camera="simulated", flash_power=0.125)
        self.assertEqual(lit, "a simulated rail, a simulated camera, flash at 1/8")
        knob = self.words("bench", by="knob", rail=None, camera="folder")
        self.assertEqual(knob, "by the knob, files from a watched folder")
        body = self.words("bench", by="body", rail=None, camera="folder")
        self.assertEqual(body, "focus bracketed by the body, files from a watched folder")
        self.assertEqual(self.words("folder", rail=None, camera="folder"), "by hand, files from a watched folder")
        self.assertIn("simulated hand", self.words("folder", rail=None, camera="simulated hand"))
        self.assertEqual(shot_with(Take(source="files", devices=None)), "own files")

    def test_faults_for_practice_are_named(self) -> None:
        told = self.words("bench", rail="simulated", camera="simulated", flaws=["dust", "room-light"])
        self.assertIn("faults switched on for practice: dust, room-light", told)

    def test_what_an_earlier_version_did_not_note_is_not_made_up(self) -> None:
        self.assertEqual(shot_with(Take(source="bench", devices=None)), "not recorded")
        self.assertEqual(
            self.words("bench", rail=None, camera="simulated", flaws=None), "rail not recorded, a simulated camera"
        )

    def test_the_record_of_a_real_rail_carries_its_address(self) -> None:
        stack = shot_stack()
        devices = {"rail": "/dev/ttyACM3", "camera": "folder", "folder": "/srv/card", "flaws": []}
        done = a_merge(take_of(stack, stack.takes[0].frames, devices=devices))
        content, _ = record.record(done.id)
        self.assertEqual(content["take"]["source"], "rail /dev/ttyACM3, files from a watched folder")
        self.assertEqual(content["take"]["devices"], devices)
        self.assertEqual(content["mended"], [])
        self.assertEqual(content["take"]["frames"][0]["reported_um"], stack.ladder.positions_um[0])


if __name__ == "__main__":
    unittest.main()
