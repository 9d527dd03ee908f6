"""Tiles at the bench: placed by a stage or a hand, shot one after another, merged, and laid together."""

import json
import unittest
from functools import partial
from typing import Any, ClassVar

import numpy as np
import tifffile

from amber_ladder.errors import Conflict
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.results import read_depth
from amber_ladder.settings import settings
from amber_ladder.simulated.rail.eye import RailEye
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import cabinet, deeds, merge, plan, record, rigs
from amber_ladder.work.ledger import lines as ledger_lines
from amber_ladder.work.measure import measures
from amber_ladder.work.shoot import Bench, BenchChange, FlashEntry, MoveEntry, RunEntry
from amber_ladder.work.shoot.orders import StageEntry, StageHere
from amber_ladder.work.stack.tiles import TilesView
from amber_ladder.work.stack.views import MergeView, StackView
from tests.support.bench import CONFIRMED, BenchTest
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.station import until
from tests.support.takes import have_done, merged

QUICK = {"settle_s": 0.05, "exposure_s": 0.01, "recycle_s": 0.05}
SMALL = {"width_px": 300, "height_px": 220, "pixel_um": 5.0}


def tiles_of(stack: StackView) -> TilesView:
    assert stack.tiles is not None
    return stack.tiles


class TileBench(BenchTest):
    rail_options: ClassVar[tuple[str, ...]] = ("--stage",)

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.bench.change(BenchChange(scene="wulfenite"))

    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(self.bench.change, BenchChange(stage="hand", stage_reversed=[]))

    def planned(self, number: str, columns: int, rows: int, **changes: Any) -> StackView:
        label = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": number}))
        rig = {**RIG, "name": f"rig of {number}", "sensor": SMALL, "working_distance_mm": 34}
        added = rigs.add_rig(rigs.RigEntry(**rig))
        rail = {"click_um": 2.5, "min_um": 0, "max_um": 40_000, "backlash_um": 50}
        ladder = {**PLAN, "near_um": 2000, "far_um": 2600, "overlap": 0.1, "rail": rail, "timing": QUICK, **changes}
        tiles = {"columns": columns, "rows": rows, "overlap": 0.25}
        entry = {"rig_id": added.id, "plan": LadderRequestJson(**ladder), "tiles": tiles}
        return plan.save_tiles(label.id, plan.TileSetEntry.model_validate(entry))

    def set_up(self, stack_id: int) -> None:
        self.bench.set_up(stack_id)
        self.bench.light.set_flash(FlashEntry(power=0.1, on=True))

    def rest(self) -> None:
        until(lambda: self.bench.view().busy is None, "the bench to rest")

    def laid(self, whole: StackView) -> MergeView:
        for one in tiles_of(whole).tiles:
            merged(plan.read_stack(one.stack_id).takes[-1].id, "select")
        begun = merge.begin_laying(whole.id, merge.LayEntry())
        have_done(begun.task.id)
        done = plan.read_stack(whole.id).takes[0].merges[-1]
        self.assertEqual((done.task.state, done.task.message), ("done", ""))
        return done


class ByAStage(TileBench):
    def test_all_tiles_are_shot_one_after_another_laid_and_measured_across_their_seams(self) -> None:
        self.bench.change(BenchChange(stage="rail"))
        whole = self.planned("STAGE-1", 2, 2)
        lines_ = tiles_of(whole).tiles
        first = lines_[0].stack_id
        self.set_up(first)
        items = {one.key: one for one in self.bench.preflight(first)}
        self.assertEqual(items["stage"].state, "stop")
        self.assertIn("Nobody said where the tiles lie", items["stage"].detail)
        self.to_the_middle()
        self.bench.stage.here(StageHere(of="middle"))
        view = self.bench.view().stage
        assert view
        assert view.target_um
        covers, field = tiles_of(whole).covers_um, tiles_of(whole).step_um[0] / 0.75
        self.assertAlmostEqual(view.target_um[0], (field - covers[0]) / 2, places=3)
        self.assertIs(view.on_tile, False)
        self.bench.move(MoveEntry(to_um=2300))
        self.rest()
        self.bench.stage.move(StageEntry())
        self.rest()
        view = self.bench.view().stage
        assert view
        assert view.at_um
        assert view.target_um
        np.testing.assert_allclose(view.at_um, view.target_um, atol=2.5)
        self.assertLessEqual(self.bench.view().rail.position_um or 1e9, 2000)  # it went aside clear of the specimen
        self.bench.begin_run(first, RunEntry(then_tiles=True, confirmed=[*CONFIRMED]))
        for number in range(len(lines_)):
            until(partial(self.is_shot, whole.id, number), f"tile {number + 1}")
        self.rest()
        shot = [plan.read_stack(one.stack_id).takes[0] for one in tiles_of(plan.read_stack(whole.id)).tiles]
        stood = [np.array((take.devices or {})["stage_um"]) for take in shot]
        for one, at in zip(lines_, stood, strict=True):
            np.testing.assert_allclose(at - stood[0], (one.x_um, one.y_um), atol=5.0)
        done = self.laid(whole)
        report = done.report or {}
        self.assertEqual(len(report["seams"]), 4)
        for seam in report["seams"]:
            self.assertLess(seam["rms_px"], 0.5)
        # As far as the stage went, in the pixels that the tiles were laid at.
        matrices = [np.array(one["matrix"]) for one in report["registration"]]
        middle = np.array([SMALL["width_px"] - 1, SMALL["height_px"] - 1]) / 2
        laid = [one[:, :2] @ middle + one[:, 2] for one in matrices]
        um = np.hypot(*(laid[2] - laid[0])) * report["scale"]["um_per_px"]
        self.assertAlmostEqual(um / np.hypot(*(stood[2] - stood[0])), 1.0, delta=0.03)  # the screws have play
        self.check_it_is_a_merge_like_any_other(whole, done)

    def is_shot(self, whole_id: int, number: int) -> bool:
        return tiles_of(plan.read_stack(whole_id)).tiles[number].state == "shot"

    def to_the_middle(self) -> None:
        """The middle of the simulated specimen lies where the stage says 0."""
        stage = self.bench.view().stage
        assert stage
        assert stage.at_um
        self.bench.stage.move(StageEntry(by_um=(-stage.at_um[0], -stage.at_um[1])))
        self.rest()

    def check_it_is_a_merge_like_any_other(self, whole: StackView, done: MergeView) -> None:
        report = done.report or {}
        folder = FrameStore(settings().data).product_folder(done.id)
        picture = tifffile.imread(folder / "composite.tif")
        crop = report["crop"]
        inner = picture[crop["y"] : crop["y"] + crop["height"], crop["x"] : crop["x"] + crop["width"]]
        self.assertGreater(inner.shape[1], 1.5 * SMALL["width_px"])

        for side in (inner[0], inner[-1], inner[:, 0], inner[:, -1]):  # nothing of it is uncovered
            self.assertLess(float((side.max(axis=1) == 0).mean()), 0.02)
        self.assertGreater(float(np.isfinite(read_depth(folder / "depth.tif")).mean()), 0.5)
        points = [[crop["x"] + 20.0, crop["y"] + 30.0], [crop["x"] + crop["width"] - 20.0, crop["y"] + 30.0]]
        entry = {"name": "across", "kind": "length", "points": points}
        taken = measures.take(done.id, measures.MeasureEntry.model_validate(entry))
        um_per_px = report["scale"]["um_per_px"]
        self.assertAlmostEqual(taken.told.value or 0, (points[1][0] - points[0][0]) * um_per_px, delta=0.01)
        told, name = record.record(done.id)
        self.assertIn("_tiles1", name)
        self.assertEqual(told["take"]["source"], "laid together from tiles: each has a record of its own")
        self.assertEqual(len(told["stack"]["tiles"]["tiles"]), 4)
        self.assertEqual(told["scale"]["um_per_px"], um_per_px)
        json.dumps(told)
        self.assertGreater(len(record.picture(done.id, "png")[0]), 10_000)
        self.assertEqual(record.record_sheet(done.id)[0][:4], b"%PDF")
        package = record.begin_package(done.id)
        have_done(package.task.id)
        packed = record.packages(done.id)[0]
        self.assertEqual((packed.task.state, packed.task.message), ("done", ""))
        ledger_lines.bring_up_to_date()
        with transaction() as session:
            line = ledger_lines.line(stacks.get_stack(session, whole.id))
        self.assertEqual((line["method"], line["frames_used"], line["frames_shot"]), ("tiles", None, None))
        self.assertGreater(line["depth_um"], 50)

    def test_a_station_that_was_started_anew_goes_on_with_the_tiles_and_a_stop_ends_them(self) -> None:
        self.bench.change(BenchChange(stage="rail"))
        whole = self.planned("STAGE-2", 3, 1)
        first = tiles_of(whole).tiles[0].stack_id
        before = Bench()
        before.set_up(first)
        before.stage.here(StageHere(of="tile"))
        before.begin_run(first, RunEntry(then_tiles=True, confirmed=CONFIRMED))
        until(lambda: len(plan.read_stack(first).takes[0].frames) >= 2, "two frames")
        before.close()
        self.bench.take_up_again()
        second = tiles_of(whole).tiles[1].stack_id
        until(lambda: len(plan.read_stack(second).takes) == 1, "the second tile")
        self.bench.halt()
        self.rest()
        states = [one.state for one in tiles_of(plan.read_stack(whole.id)).tiles]
        self.assertEqual((states[0], states[2]), ("shot", "planned"))

    def test_axes_that_count_the_other_way_and_a_stage_that_is_elsewhere(self) -> None:
        self.bench.change(BenchChange(stage="rail", stage_reversed=["right"]))
        whole = self.planned("STAGE-3", 2, 1)
        first = tiles_of(whole).tiles[0].stack_id
        self.set_up(first)
        self.bench.stage.here(StageHere(of="tile"))
        eye = RailEye(self.rail.port)
        self.addCleanup(eye.close)
        start = eye.stage_um()
        self.bench.stage.move(StageEntry(by_um=(400, 200)))
        self.rest()
        moved = eye.stage_um()
        assert start
        assert moved
        np.testing.assert_allclose((moved[0] - start[0], moved[1] - start[1]), (-400, 200), atol=20)  # it has play
        item = next(one for one in self.bench.preflight(first) if one.key == "stage")
        self.assertEqual((item.state, item.detail), ("stop", "The stage is 447 µm away: let it go there."))
        with self.assertRaisesRegex(Conflict, "The field lies on tile 1: The stage is 447 µm away"):
            self.bench.begin_run(first, RunEntry(confirmed=CONFIRMED))
        self.assertEqual(plan.read_stack(first).takes, [])


class ByHand(TileBench):
    def test_each_is_confirmed_and_a_hand_that_is_a_little_off_does_no_harm(self) -> None:
        whole = self.planned("HAND-1", 2, 1)
        for number, one in enumerate(tiles_of(whole).tiles):
            self.set_up(one.stack_id)
            item = next(item for item in self.bench.preflight(one.stack_id) if item.key == "stage")
            self.assertEqual(item.state, "confirm")
            if number:
                self.assertIn(f"{one.x_um / 1e3:.3f} mm right and 0.000 mm down of tile 1", item.detail)
            with self.assertRaisesRegex(Conflict, f"The field lies on tile {number + 1}"):
                self.bench.begin_run(one.stack_id, RunEntry(confirmed=CONFIRMED))
            self.run_it(plan.read_stack(one.stack_id), RunEntry(confirmed=[*CONFIRMED, "stage"]))
        report = self.laid(whole).report or {}
        self.assertLess(report["seams"][0]["rms_px"], 0.5)

    def test_the_light_of_a_tile_holds_for_the_next_but_its_ends_do_not(self) -> None:
        whole = self.planned("HAND-2", 2, 1)
        one, other = (line.stack_id for line in tiles_of(whole).tiles)
        self.set_up(one)
        self.bench.light.test_frame()
        self.bench.find_ends()
        self.rest()
        before = {item.key: item for item in self.bench.preflight(one)}
        self.bench.set_up(other)
        after = {item.key: item for item in self.bench.preflight(other)}
        self.assertEqual(after["light"], before["light"])
        self.assertNotIn("No test frame", after["light"].detail)
        self.assertNotIn("not looked for", before["ends"].detail)
        self.assertIn("not looked for", after["ends"].detail)


class WhatIsMissing(TileBench):
    def test_a_whole_is_laid_when_all_its_tiles_are_merged_and_one_thrown_away_is_left_out(self) -> None:
        whole = self.planned("GAP-1", 3, 1)
        with self.assertRaisesRegex(Conflict, "not merged yet: tile 1, 2, 3"):
            merge.begin_laying(whole.id, merge.LayEntry())
        for one in tiles_of(whole).tiles[:2]:
            self.set_up(one.stack_id)
            self.run_it(plan.read_stack(one.stack_id), RunEntry(confirmed=[*CONFIRMED, "stage"]))
        deeds.discard(deeds.DiscardEntry(kind="stack", id=tiles_of(whole).tiles[2].stack_id, why="empty"))
        after = plan.read_stack(whole.id)
        self.assertEqual(tiles_of(after).gone, [3])
        report = self.laid(after).report or {}
        self.assertIn("thrown away, so nothing is laid there: tile 3", report["warnings"])
        with self.assertRaisesRegex(Conflict, "no whole that tiles are laid in"):
            merge.begin_laying(tiles_of(whole).tiles[0].stack_id, merge.LayEntry())

    def test_a_rail_without_a_stage_says_so(self) -> None:
        self.bench.change(BenchChange(stage="hand"))
        whole = self.planned("NONE-1", 2, 1)
        self.set_up(tiles_of(whole).tiles[0].stack_id)
        with self.assertRaisesRegex(Conflict, "the stage is moved by hand"):
            self.bench.stage.move(StageEntry(by_um=(10, 0)))


if __name__ == "__main__":
    unittest.main()
