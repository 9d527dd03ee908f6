"""Measures on a merge of the station: taken, moved, picked again, undone, thrown away, and as they leave."""

import csv
import io
import json
import unittest
from dataclasses import replace
from typing import ClassVar
from xml.etree import ElementTree

import numpy as np
from PIL import Image

from amber_ladder.errors import BadInput, NotFound
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work import deeds, measure, mend, plan, record
from amber_ladder.work.measure.instruments import basis_of, opened
from amber_ladder.work.on_disk.measuring import Known
from amber_ladder.work.on_disk.merge_result import read_merge
from amber_ladder.work.rigs import scales
from amber_ladder.work.stack.scale import apply_scale
from amber_ladder.work.stack.views import MergeView, StackView
from tests.support.examples import picture
from tests.support.takes import a_merge, folder_of, have_done, shot_stack

LINE = [(200.0, 150.0), (260.0, 190.0)]


class Measures(unittest.TestCase):
    stack: ClassVar[StackView]
    merge: ClassVar[MergeView]

    @classmethod
    def setUpClass(cls) -> None:
        cls.stack = shot_stack("MEASURE-1")
        cls.merge = a_merge(cls.stack.takes[0].id)

    def taken(
        self, kind: str = "length", points: list[tuple[float, float]] | None = None, name: str = ""
    ) -> measure.MeasureView:
        return measure.take(
            self.merge.id, measure.MeasureEntry.model_validate({"kind": kind, "points": points or LINE, "name": name})
        )

    def test_a_measure_is_what_was_tried_and_rests_on_the_stacks_scale(self) -> None:
        tried = measure.tried(self.merge.id, measure.TriedEntry.model_validate({"kind": "length", "points": LINE}))
        taken = self.taken(name="head width")
        self.assertEqual(taken.told.value, tried.value)
        found = measure.measuring(self.merge.id)
        self.assertIn("head width", [one.name for one in found.measures])
        px = float(np.hypot(60, 40))
        assert taken.told.value is not None
        assert taken.told.expanded is not None
        self.assertAlmostEqual(taken.told.value / (px * (found.um_per_px or 0.0)), 1.0, delta=0.02)
        # Nobody measured this rig's scale: it is nominal, said so, and costs what a nominal one costs.
        self.assertEqual(found.scale_from, "nominal")
        self.assertIn("nominal", " ".join(found.assumed))
        self.assertGreater(taken.told.expanded / taken.told.value, 0.05)
        self.assertEqual(taken.told.parts[0].part, "scale")
        self.assertAlmostEqual(sum(one.share for one in taken.told.parts), 1.0, delta=0.01)

    def test_names_and_places_change_and_that_is_undone(self) -> None:
        one = self.taken()
        self.assertEqual(one.name, f"M{one.number}")
        moved = measure.change(
            one.id, measure.MeasureChange.model_validate({"pick": {"points": [LINE[0], (300.0, 190.0)]}})
        )
        assert moved.told.value is not None
        assert one.told.value is not None
        self.assertGreater(moved.told.value, one.told.value)
        last = deeds.last_deed()
        assert last is not None
        self.assertIn("moved", last.words)
        deeds.undo(last.id)
        back = next(m for m in measure.measuring(self.merge.id).measures if m.id == one.id)
        self.assertEqual(back.told.value, one.told.value)
        renamed = measure.change(one.id, measure.MeasureChange(name="left antenna"))
        self.assertEqual(renamed.name, "left antenna")
        with self.assertRaises(BadInput):
            measure.change(one.id, measure.MeasureChange.model_validate({"pick": {"points": [(1.0, 1.0)]}}))

    def test_picked_again_the_picks_tell_how_sure_they_are(self) -> None:
        one = self.taken()
        for aside in (0.5, -0.5, 1.0):
            again = measure.PickEntry.model_validate({"points": [LINE[0], (LINE[1][0] + aside, LINE[1][1])]})
            one = measure.pick_again(one.id, again)
        self.assertEqual(len(one.picks), 4)
        self.assertIn("mean of 4 picks", " ".join(one.told.notes))
        # Spread 0.65 px along most of the line, over √4, widened by Student's t for 3 degrees of freedom (3.18 / 2).
        pick = next(part for part in one.told.parts if part.part == "pick")
        along = np.array([np.hypot(60 + a, 40) for a in (0, 0.5, -0.5, 1.0)])
        expected = along.std(ddof=1) / 2 * 3.182 / 2 * (measure.measuring(self.merge.id).um_per_px or 0.0)
        self.assertAlmostEqual(pick.u / expected, 1.0, delta=0.03)

    def test_what_is_thrown_away_comes_back(self) -> None:
        one = self.taken(name="thrown away")
        gone = deeds.discard(deeds.DiscardEntry(kind="measure", id=one.id, why="slipped"))
        self.assertNotIn("thrown away", [m.name for m in measure.measuring(self.merge.id).measures])
        deeds.restore(gone.id)
        self.assertIn("thrown away", [m.name for m in measure.measuring(self.merge.id).measures])
        with self.assertRaises(NotFound):
            measure.change(10**6, measure.MeasureChange(name="x"))

    def test_a_scale_that_was_measured_later_counts_at_once(self) -> None:
        one = self.taken()
        nominal = measure.measuring(self.merge.id).um_per_px or 0.0
        sensor = self.stack.rig.sensor
        ruled = picture(sensor.width_px, sensor.height_px, seed=3)
        kept = scales.bring_scale_picture(self.stack.rig_id, "coin.jpg", [ruled]).picture
        entry = scales.ScaleEntry(picture=kept, length_um=200 * 1.1 * nominal, points=(40, 50, 240, 50))
        self.addCleanup(apply_scale, self.stack.id, None)
        apply_scale(self.stack.id, scales.save_scale(self.stack.rig_id, entry).id)
        found = measure.measuring(self.merge.id)
        now = next(m for m in found.measures if m.id == one.id)
        assert now.told.value is not None
        assert one.told.value is not None
        self.assertAlmostEqual(now.told.value / one.told.value, 1.1, delta=0.01)
        self.assertEqual(found.scale_from, "measured")
        self.assertLess(now.told.expanded or 1e9, one.told.expanded or 0)

    def test_how_well_the_mediums_index_is_known_is_the_labels_or_assumed_and_said(self) -> None:
        with transaction() as session:
            basis = basis_of(stacks.get_product(session, self.merge.id, "merge"))
        resin = replace(basis, medium_index=1.5)
        assumed, exact = opened(resin), opened(replace(resin, medium_tolerance=0.0))
        said = opened(replace(resin, medium_tolerance=0.03))
        # ± 0.01 and ± 0.03 of 1.5, over √3, beside what focus differs between the axis and the rim.
        rim = exact.instrument.u_index
        self.assertAlmostEqual(assumed.instrument.u_index**2 - rim**2, (0.01 / 1.5) ** 2 / 3, delta=1e-7)
        self.assertAlmostEqual(said.instrument.u_index**2 - rim**2, (0.03 / 1.5) ** 2 / 3, delta=1e-7)
        self.assertIn("the medium's index is known to 0.01", assumed.assumed)
        self.assertNotIn("index is known", " ".join(said.assumed))
        self.assertIsNone(basis.medium_tolerance)

    def test_how_true_the_frames_distances_are_goes_by_what_moved_the_focus(self) -> None:
        def known(**mover: object) -> Known:
            with transaction() as session:
                stack = stacks.get_stack(session, self.stack.id)
                planned = stack.plan
                stack.plan = {**planned, "rail": None, **mover} if mover else planned
                basis = basis_of(stacks.get_product(session, self.merge.id, "merge"))
                stack.plan = planned
            return opened(basis)

        knob = {"um_per_division": 2.0, "divisions_per_turn": 100}
        rail = known()
        self.assertAlmostEqual(rail.instrument.u_rail, 0.002 / 3**0.5)
        self.assertIn("the rail's travel is true to 0.2 %", rail.assumed)
        for mover, whose in (
            ({"knob": knob}, "the knob's scale"),
            ({"focus_unit": {"um_per_unit": 4.0}}, "a focus step"),
        ):
            with self.subTest(whose):
                engraved = known(**mover)
                self.assertAlmostEqual(engraved.instrument.u_rail, 0.05 / 3**0.5)
                self.assertIn("true to 5%: nobody measured it", " ".join(engraved.assumed))
                self.assertIn(whose, " ".join(engraved.assumed))
                self.assertNotIn("rail's travel", " ".join(engraved.assumed))
        measured = known(knob={**knob, "u_um_per_division": 0.02})
        self.assertAlmostEqual(measured.instrument.u_rail, 0.01)
        self.assertNotIn("travel", " ".join(measured.assumed))

    def test_what_touches_mended_pixels_says_so(self) -> None:
        before = self.taken(name="before mending")
        self.assertNotIn("mended", " ".join(before.told.notes))
        view = mend.begin(self.merge.id, mend.MendEntry(name="antenna"))
        assert view.rack.task is not None
        have_done(view.rack.task.id)
        stroke = {"kind": "from_frame", "file": self.merge.report["frames_used"][0], "path": [LINE[0]], "radius_px": 9}  # type: ignore[index]
        view = mend.add_step(view.id, mend.StepEntry.model_validate({"revision": view.revision, "step": stroke}))
        mend.finish(view.id)
        written = mend.read(view.id).mended
        assert written is not None
        have_done(written.task.id)
        after = measure.measuring(self.merge.id)
        told = next(m for m in after.measures if m.id == before.id).told
        self.assertIn("touches what was mended in antenna", told.notes)

    def test_tables_and_the_picture_leave_with_their_words(self) -> None:
        one = self.taken(name='=width "A"')
        table, name = measure.measures_csv(self.merge.id)
        self.assertTrue(name.startswith("MEASURE-1_stack1_take1"))
        row = next(row for row in csv.DictReader(io.StringIO(table)) if row["number"] == str(one.number))
        self.assertEqual((row["name"], float(row["value"]), row["unit"]), ('\'=width "A"', one.told.value, "µm"))
        content, _ = measure.measures_json(self.merge.id)
        self.assertIn(one.id, [m["id"] for m in content["measures"]])
        kept = json.loads(json.dumps(record.record(self.merge.id)[0]))["measured"]
        self.assertIn(one.told.value, [m["told"]["value"] for m in kept])
        drawn, _ = measure.picture_svg(self.merge.id)
        root = ElementTree.fromstring(drawn)
        words = [text.text or "" for text in root.iter("{http://www.w3.org/2000/svg}text")]
        self.assertTrue(any(word.startswith('=width "A": ') and "±" in word for word in words), words)
        curve, _ = measure.profile_csv(
            self.merge.id, measure.TriedEntry.model_validate({"kind": "profile", "points": LINE})
        )
        rows = list(csv.reader(io.StringIO(curve)))
        self.assertGreater(len(rows), 60)
        self.assertEqual(rows[0][0], "along, um")
        with self.assertRaises(BadInput):
            measure.profile_csv(self.merge.id, measure.TriedEntry.model_validate({"kind": "length", "points": LINE}))

    def test_the_picture_in_pixels_shows_them_and_keeps_its_scale(self) -> None:
        one = self.taken(name="span")
        content, name = measure.picture_png(self.merge.id)
        self.assertTrue(name.endswith("_measures.png"))
        shown = Image.open(io.BytesIO(content))
        plain = np.asarray(read_merge(folder_of(self.merge)).composite)
        self.assertEqual(shown.size, (plain.shape[1], plain.shape[0]))
        um_per_px = measure.measuring(self.merge.id).um_per_px or 0.0
        self.assertAlmostEqual(25_400 / float(shown.info["dpi"][0]) / um_per_px, 1.0, delta=1e-3)
        (x0, y0), (x1, y1) = one.picks[0].points
        drawn = np.asarray(shown.convert("RGB"))
        middle = drawn[round((y0 + y1) / 2), round((x0 + x1) / 2)]
        np.testing.assert_allclose(middle, [255, 209, 102], atol=40)  # the line, in its own colour
        np.testing.assert_array_equal(drawn[-1, -1], plain[-1, -1])

    def test_a_place_snaps_to_the_edge_beside_it(self) -> None:
        found = measure.snapped(self.merge.id, measure.SnapEntry(x=200, y=150))
        if found.place is not None:
            self.assertLess(np.hypot(found.place[0] - 200, found.place[1] - 150), 13.0)
        with self.assertRaises(BadInput):
            measure.snapped(self.merge.id, measure.SnapEntry(x=9000, y=1))

    def test_the_stage_is_done_once_something_was_measured(self) -> None:
        self.taken()
        stages = {one.key: one.done for one in plan.read_stack(self.stack.id).stages}
        self.assertTrue(stages["measure"])
        self.assertEqual(list(stages)[-2:], ["measure", "record"])


if __name__ == "__main__":
    unittest.main()
