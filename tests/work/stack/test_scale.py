"""A scale that was measured after a stack was planned, or even merged."""

import json
import unittest

import tifffile

from amber_ladder.errors import BadInput
from amber_ladder.work import plan, record, rigs
from amber_ladder.work.rigs import calibrations, scales
from amber_ladder.work.stack.scale import apply_scale, scale_choices
from tests.support.examples import RIG, picture
from tests.support.takes import a_merge, shot_stack, take_of


class Later(unittest.TestCase):
    def setUp(self) -> None:
        self.stack = shot_stack()
        self.done = a_merge(take_of(self.stack, self.stack.takes[0].frames))
        self.sensor = self.stack.rig.sensor
        self.addCleanup(apply_scale, self.stack.id, None)

    def calibration(self, rig_id: int, um_per_px: float) -> int:
        """A scale by two points, 200 px apart."""
        content = picture(self.sensor.width_px, self.sensor.height_px, seed=3)
        kept = scales.bring_scale_picture(rig_id, "coin.jpg", [content]).picture
        entry = scales.ScaleEntry(picture=kept, length_um=200 * um_per_px, points=(40, 50, 240, 50))
        return scales.save_scale(rig_id, entry).id

    def test_it_does_not_reach_a_finished_stack_by_itself_and_the_record_keeps_both(self) -> None:
        planned = scale_choices(self.stack.id)[0]
        number = self.calibration(self.stack.rig_id, 1.05 * planned.um_per_px)
        self.assertEqual(plan.read_stack(self.stack.id).scale.um_per_px, planned.um_per_px)
        with record.tiff(self.done.id, "composite") as (path, _):
            untouched = path.read_bytes()

        chosen = next(one for one in apply_scale(self.stack.id, number) if one.in_use)
        self.assertEqual(chosen.calibration_id, number)
        content = json.loads(json.dumps(record.record(self.done.id)[0]))["scale"]
        self.assertEqual(content["um_per_px"], chosen.um_per_px)
        self.assertAlmostEqual(content["um_per_px"], 1.05 * planned.um_per_px, delta=0.01 * planned.um_per_px)
        self.assertEqual((content["from"], content["as_planned"]["um_per_px"]), ("measured", planned.um_per_px))
        self.assertEqual(content["applied_later"]["calibration_id"], number)
        self.assertGreater(content["u_um_per_px"], 0)

        with record.tiff(self.done.id, "composite") as (path, _), tifffile.TiffFile(path) as file:
            above, below = file.pages.first.tags["XResolution"].value
            self.assertAlmostEqual(1e4 / (above / below), chosen.um_per_px, places=3)
            copy = path
        self.assertFalse(copy.exists())
        with record.tiff(self.done.id, "depth") as (path, _), tifffile.TiffFile(path) as file:
            self.assertIn(", µm,", file.pages.first.description)
            self.assertIn(f"{chosen.um_per_px:.6g} µm/px", file.pages.first.description)

        apply_scale(self.stack.id, None)
        self.assertIsNone(plan.read_stack(self.stack.id).scale.calibration_id)
        with record.tiff(self.done.id, "composite") as (path, _):
            self.assertEqual(path.read_bytes(), untouched)

    def test_one_of_another_rig_or_one_set_aside_is_refused(self) -> None:
        other = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "another for scales"}))
        with self.assertRaisesRegex(BadInput, "no scale of the stack's own rig"):
            apply_scale(self.stack.id, self.calibration(other.id, 1.0 * other.does.optics.pixel_um))
        number = self.calibration(self.stack.rig_id, 1.04 * scale_choices(self.stack.id)[0].um_per_px)
        calibrations.set_aside(number, aside=True)
        with self.assertRaisesRegex(BadInput, "set aside"):
            apply_scale(self.stack.id, number)
        self.assertNotIn(number, [one.calibration_id for one in scale_choices(self.stack.id)])


if __name__ == "__main__":
    unittest.main()
