"""A take as the pages see it: gaps, strays, what positions rest on; and the one list of stages."""

import unittest

from amber_ladder.work import cabinet, plan, shoot
from amber_ladder.work.stack.stages import STAGES, all_stages
from tests.support.examples import picture
from tests.support.station import database
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


class Series(unittest.TestCase):
    def test_a_rung_that_is_missing_is_a_gap_in_um_of_the_stage(self) -> None:
        stack = shot_stack()
        frames = stack.takes[0].frames
        take_id = take_of(stack, [*frames[:5], *frames[6:]])
        series = next(one.series for one in plan.read_stack(stack.id).takes if one.id == take_id)
        positions = stack.ladder.positions_um
        self.assertEqual(series.missing, [5])
        self.assertEqual([(gap.from_um, gap.to_um) for gap in series.gaps], [(positions[4], positions[6])])
        self.assertAlmostEqual(series.overlap or 0.0, stack.ladder.overlap)
        self.assertAlmostEqual(series.depth_um or 0.0, stack.ladder.travel_um)

    def test_own_files_one_for_each_rung_lie_where_it_was_planned_and_nobody_measured_that(self) -> None:
        database()
        stack = new_stack("SE-own")
        take = shoot.begin_files(stack.id)
        for i in range(stack.ladder.frames):
            shoot.add_file(take.id, f"f_{i}.jpg", [picture(384, 256, seed=i)])
        series = shoot.finish_take(take.id).series
        self.assertEqual(series.depth_from, "planned")
        self.assertEqual(series.rungs_um, stack.ladder.positions_um)

    def test_one_file_more_and_nobody_knows_which_is_which(self) -> None:
        database()
        stack = new_stack("SE-more")
        take = shoot.begin_files(stack.id)
        for i in range(stack.ladder.frames + 1):
            shoot.add_file(take.id, f"f_{i}.jpg", [picture(384, 256, seed=i)])
        done = shoot.finish_take(take.id)
        self.assertEqual((done.series.depth_from, done.series.rungs_um), (None, []))
        self.assertEqual({(frame.rung, frame.planned_um) for frame in done.frames}, {(None, None)})


class Stages(unittest.TestCase):
    def test_one_list_for_header_cabinet_and_keys(self) -> None:
        self.assertEqual(
            [stage.key for stage in all_stages()], ["plan", "shoot", "sort", "merge", "mend", "measure", "record"]
        )
        self.assertEqual(len({stage.key for stage in STAGES}), len(STAGES))
        for stage in all_stages():
            self.assertEqual(stage.label.lower(), stage.key)

    def test_what_is_done_and_where_a_person_goes_on(self) -> None:
        database()
        stack = new_stack("SE-stages")
        self.assertEqual([one.done for one in stack.stages], [True, False, False, False, False, False, False])
        row = cabinet.browse(words="SE-stages").rows[0].stack
        assert row is not None
        self.assertEqual((row.goes_on_at, row.busy), ("plan", False))
        shot = shot_stack()
        a_merge(shot.takes[0].id)
        undone = [one.key for one in plan.read_stack(shot.id).stages if not one.done]
        self.assertEqual(undone, ["mend", "measure"])
        row = cabinet.browse(words="SHOT-1").rows[0].stack
        assert row is not None
        self.assertEqual(row.goes_on_at, "merge")


if __name__ == "__main__":
    unittest.main()
