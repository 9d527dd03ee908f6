"""The scale of a merge from its own picture, at the station: tried, used, undone, and where nothing else is known."""

import io
import unittest
from typing import ClassVar

import numpy as np
from PIL import Image

from amber_ladder.errors import BadInput
from amber_ladder.formats.measures_json import ReferenceJson
from amber_ladder.work import deeds, measure, record
from amber_ladder.work.shoot import own_frames
from amber_ladder.work.stack.views import MergeView
from tests.support.takes import a_merge, new_stack, shot_stack

ENDS = [(60.0, 150.0), (260.0, 150.0)]


def reference(**changes: object) -> ReferenceJson:
    """Two points, 300 µm apart."""
    return ReferenceJson.model_validate({"kind": "two_points", "points": ENDS, "size_um": 300.0, **changes})


class OfAStation(unittest.TestCase):
    merge: ClassVar[MergeView]

    @classmethod
    def setUpClass(cls) -> None:
        cls.merge = a_merge(shot_stack("REFERENCE-1").takes[0].id)

    def test_tried_used_and_undone(self) -> None:
        before = measure.measuring(self.merge.id)
        tried = measure.try_reference(self.merge.id, reference())
        self.assertAlmostEqual(tried.um_per_px, 1.5, delta=0.03)
        self.assertGreater(tried.deviation, 0.4)
        self.assertEqual(measure.measuring(self.merge.id).um_per_px, before.um_per_px)
        now = measure.set_reference(self.merge.id, reference())
        self.assertEqual((now.um_per_px, now.scale_from), (tried.um_per_px, "measured"))
        assert now.reference is not None
        self.assertEqual(now.reference["kind"], "two_points")
        length = measure.TriedEntry.model_validate({"kind": "length_3d", "points": ENDS})
        self.assertAlmostEqual(measure.tried(self.merge.id, length).value or 0.0, 300.0, delta=1.0)
        kept, _ = record.record(self.merge.id)
        self.assertEqual(kept["scale"]["um_per_px"], tried.um_per_px)
        self.assertEqual(kept["scale"]["from_its_own_picture"]["size_um"], 300.0)
        last = deeds.last_deed()
        assert last is not None
        self.assertIn("scale set from the picture itself", last.words)
        deeds.undo(last.id)
        self.assertEqual(measure.measuring(self.merge.id).um_per_px, before.um_per_px)
        with self.assertRaisesRegex(BadInput, "scale of its stack already"):
            measure.set_reference(self.merge.id, None)

    def test_refused_in_words(self) -> None:
        with self.assertRaisesRegex(BadInput, "outside the picture"):
            measure.try_reference(self.merge.id, reference(points=[(0.0, 0.0), (9000.0, 0.0)]))
        with self.assertRaisesRegex(BadInput, "3 places are needed"):
            measure.set_reference(self.merge.id, reference(kind="ball"))


class WhereNothingElseIsKnown(unittest.TestCase):
    def test_frames_that_are_not_the_sensors_get_their_scale_from_their_own_picture(self) -> None:
        stack = new_stack("REFERENCE-OWN")
        take = own_frames.begin_files(stack.id)
        frame = np.random.default_rng(3).integers(40, 200, (240, 320, 3), np.uint8)
        for number in range(3):
            file = io.BytesIO()
            Image.fromarray(np.roll(frame, number, axis=0)).save(file, "PNG")
            own_frames.add_file(take.id, f"own_{number}.png", iter([file.getvalue()]))
        own_frames.finish_take(take.id)
        merge = a_merge(take.id)
        found = measure.measuring(merge.id)
        self.assertIsNone(found.um_per_px)
        self.assertIsNone(found.scale_from)
        length = measure.TriedEntry.model_validate({"kind": "length", "points": ENDS})
        with self.assertRaisesRegex(BadInput, "no scale is known"):
            measure.tried(merge.id, length)
        measure.set_reference(merge.id, reference())
        self.assertAlmostEqual(measure.tried(merge.id, length).value or 0.0, 300.0, delta=0.5)
        self.assertEqual(record.label(merge.id).scale_from, "measured")


if __name__ == "__main__":
    unittest.main()
