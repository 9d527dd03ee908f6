"""Tiles planned as a set: how many, where each lies, and what becomes of them when the plan changes."""

import unittest
from datetime import timedelta
from typing import Any

from sqlalchemy import select

from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.tile_models import TileSet
from amber_ladder.work import cabinet, deeds, plan, rigs
from amber_ladder.work.shoot import begin_files
from amber_ladder.work.stack.views import StackView
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.station import database

LENS = {"kind": "lens", "magnification": 2.0, "f_number": 2.8, "focal_mm": 50.0}


def planned(number: str, columns: int = 3, rows: int = 2, rig: dict[str, Any] | None = None, **tiles: Any) -> StackView:
    """A set of tiles of a specimen of this number; returns the whole."""
    label = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": number}))
    added = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": f"rig of {number}", **(rig or {})}))
    asked = {"columns": columns, "rows": rows, **tiles}
    entry = {"rig_id": added.id, "plan": PLAN, "tiles": asked}
    return plan.save_tiles(label.id, plan.TileSetEntry.model_validate(entry))


class Planned(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        database()

    def trial(self, **changes: Any) -> plan.TilesPreview:
        rig = {name: RIG[name] for name in ("sensor", "train", "colour") if name in RIG}
        entry = {"rig": RigJson.model_validate(rig), "plan": PLAN, **changes}
        return plan.try_tiles(plan.TilesTrial.model_validate(entry))

    def test_the_specimens_size_asks_for_so_many_and_they_cover_it(self) -> None:
        one = self.trial()
        self.assertEqual((one.columns, one.rows, one.needed), (1, 1, (None, None)))
        width, height = one.field_um
        # 2.5 fields wide with a fifth shared: 1 + 1.5 / 0.8 steps; just as high as one field.
        seen = self.trial(subject={"width_mm": 2.5 * width / 1e3, "height_mm": height / 1e3})
        self.assertEqual((seen.columns, seen.rows, seen.needed), (3, 1, (3, 1)))
        self.assertAlmostEqual(seen.covers_um[0], width * (1 + 2 * 0.8), places=3)
        self.assertEqual(seen.warnings, [])
        self.assertEqual(seen.frames, 3 * one.frames)
        self.assertAlmostEqual(seen.seconds, 3 * one.seconds)
        fewer = self.trial(columns=2, rows=1, subject={"width_mm": 2.5 * width / 1e3})
        self.assertIn("in width: plan more columns", fewer.warnings[0])

    def test_neighbours_share_what_all_frames_show_though_the_picture_grows(self) -> None:
        seen = self.trial(columns=2, rows=2, overlap=0.25)
        places = [(one.number, one.column, one.row) for one in seen.places]
        self.assertEqual(places, [(1, 0, 0), (2, 1, 0), (3, 1, 1), (4, 0, 1)])  # as a snake
        self.assertAlmostEqual(seen.step_um[0], 0.75 * seen.field_um[0])
        self.assertAlmostEqual(seen.places[2].y_um, 0.75 * seen.field_um[1])
        macro = RigJson.model_validate({"sensor": RIG["sensor"], "train": LENS})
        shallow, deep = (self.trial(rig=macro, columns=2, rows=1, plan={**PLAN, "far_um": far}) for far in (200, 4000))
        self.assertLess(deep.step_um[0], 0.99 * shallow.step_um[0])

    def test_too_little_overlap_is_warned_of_and_what_is_no_set_refused(self) -> None:
        self.assertIn("7% overlap", self.trial(columns=2, rows=2, overlap=0.07).warnings[0])
        with self.assertRaisesRegex(BadInput, "40 × 40 tiles: 400 at most"):
            self.trial(columns=40, rows=40)
        with self.assertRaisesRegex(ValueError, "a set has 2 to 400 tiles: 1 × 1 are not"):
            plan.TilesEntry(columns=1, rows=1)


class Saved(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        database()

    def test_each_tile_is_a_stack_and_the_whole_another(self) -> None:
        whole = planned("TILE-1")
        assert whole.tiles is not None
        self.assertEqual((whole.number, whole.tiles.number, len(whole.siblings)), (1, 0, 7))
        self.assertEqual([one.stack_number for one in whole.tiles.tiles], [2, 3, 4, 5, 6, 7])
        fourth = plan.read_stack(whole.tiles.tiles[3].stack_id)
        assert fourth.tiles is not None
        self.assertEqual((fourth.tiles.number, fourth.tiles.whole_id), (4, whole.id))
        line = fourth.tiles.tiles[3]
        self.assertEqual((line.column, line.row, line.state, line.stage_um), (2, 1, "planned", None))
        self.assertAlmostEqual(line.x_um, 2 * fourth.tiles.step_um[0])
        self.assertEqual(fourth.plan, whole.plan)

    def test_planned_anew_the_whole_takes_its_tiles_with_it(self) -> None:
        whole = planned("TILE-2", rows=1, columns=2, rig={"train": LENS})
        assert whole.tiles is not None
        entry = plan.PlanEntry(rig_id=whole.rig_id, plan=LadderRequestJson(**{**PLAN, "far_um": 900}))
        after = plan.change_ladder(whole.id, entry, seen=whole.revision)
        assert after.tiles is not None
        self.assertLess(after.tiles.step_um[0], whole.tiles.step_um[0])  # the picture grows more
        for one in after.tiles.tiles:
            self.assertEqual(plan.read_stack(one.stack_id).plan.far_um, 900)
        other = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "another rig for TILE-2"}))
        alone = plan.PlanEntry(rig_id=other.id, marked_f_number=None, plan=LadderRequestJson(**{**PLAN, "far_um": 800}))
        tile = after.tiles.tiles[1].stack_id
        plan.set_ends(tile, plan.EndsEntry(near_um=10, far_um=700))  # a tile may be deeper than the others
        self.assertEqual(plan.read_stack(whole.id).plan.far_um, 900)
        with self.assertRaisesRegex(Conflict, "all tiles are shot with one rig"):
            plan.change_ladder(tile, alone.model_copy(update={"marked_f_number": 5.6}))

    def test_undone_all_go_and_no_frames_come_into_the_whole(self) -> None:
        whole = planned("TILE-3", rows=1, columns=2)
        with self.assertRaisesRegex(Conflict, "laid together from its tiles"):
            begin_files(whole.id)
        deed = deeds.last_deed()
        assert deed is not None
        self.assertIn("2 × 1 tiles of TILE-3 planned, stacks 2 to 3, to be laid together in stack 1", deed.words)
        deeds.undo(deed.id)
        assert whole.tiles is not None
        for stack_id in (whole.id, *(one.stack_id for one in whole.tiles.tiles)):
            with self.assertRaises(NotFound):
                plan.read_stack(stack_id)

    def test_a_specimen_that_is_removed_for_good_takes_its_sets_with_it(self) -> None:
        whole = planned("TILE-4", rows=1, columns=2)
        deeds.discard(deeds.DiscardEntry(kind="specimen", id=whole.specimen.id, why="no longer here"))
        deeds.remove_old(now() + timedelta(days=deeds.KEPT_DAYS + 1))
        with transaction() as session:
            left = session.scalars(select(TileSet.id).where(TileSet.specimen_id == whole.specimen.id)).all()
        self.assertEqual(left, [])


if __name__ == "__main__":
    unittest.main()
