"""The run itself, on a clock that is hurried, with a simulated rail and camera that misbehave as told."""

import unittest
from collections.abc import Callable

import numpy as np

from amber_ladder.core.optics import InfinityObjective, Rig, Sensor, resolve
from amber_ladder.core.planning import Reach
from amber_ladder.devices.protocols import Camera, Exposure
from amber_ladder.errors import Stopped
from amber_ladder.simulated.clock import HurriedClock
from amber_ladder.simulated.jpeg import encode_jpeg
from amber_ladder.simulated.specimens import SPECIMENS
from amber_ladder.simulated.stand import SimulatedStand
from amber_ladder.work.shoot.incoming import decoded
from amber_ladder.work.shoot.run import Controls, Pace, Run, Rungs, Taken

POSITIONS = tuple(20.0 * i for i in range(6))


class Spoiling(Camera):
    """Spoils the exposures of these numbers, and tells when one was made."""

    def __init__(self, camera: Camera, spoil: dict[int, Callable[[Exposure], Exposure]]) -> None:
        self.camera, self.spoil = camera, spoil
        self.count = 0
        self.exposed: Callable[[int], None] = lambda _: None

    def expose(self) -> Exposure:
        exposure = self.camera.expose()
        number, self.count = self.count, self.count + 1
        self.exposed(number)
        return self.spoil.get(number, lambda one: one)(exposure)  # type: ignore[no-any-return]


def dark(exposure: Exposure) -> Exposure:
    picture = decoded(exposure.content) // 4
    return Exposure(encode_jpeg(picture, captured_at=exposure.captured_at), ".jpg", exposure.captured_at)


def smaller(exposure: Exposure) -> Exposure:
    picture = np.ascontiguousarray(decoded(exposure.content)[:100])
    return Exposure(encode_jpeg(picture, captured_at=exposure.captured_at), ".jpg", exposure.captured_at)


def deeper(exposure: Exposure) -> Exposure:
    return Exposure(exposure.content, ".jpg", exposure.captured_at, bits=16)


class RunTest(unittest.TestCase):
    def run_over(
        self,
        spoil: dict[int, Callable[[Exposure], Exposure]],
        *,
        reshoots: int = 2,
        todo: tuple[int, ...] = (0, 1, 2, 3, 4, 5),
    ) -> tuple[Run, Spoiling, list[Taken]]:
        sensor = Sensor(192, 128, 5.0)
        clock, taken = HurriedClock(), list[Taken]()
        optics = resolve(Rig(sensor, InfinityObjective(5, 0.14, 200, 200)))
        stand = SimulatedStand(SPECIMENS["graupel"], optics, sensor, near_um=0.0, seed=1, clock=clock)
        camera = Spoiling(stand, spoil)
        run = Run(
            Rungs(POSITIONS, tuple((rung, 0) for rung in todo)), stand, camera, None,
            pace=Pace(0.2, 0.01, reshoots=reshoots), reach=Reach(), clock=clock, controls=Controls(),
            keep=taken.append, told=lambda _: None,
        )  # fmt: skip
        return run, camera, taken


class StopAfter(RunTest):
    def test_a_rung_that_is_being_shot_again_is_finished_first(self) -> None:
        run, camera, taken = self.run_over({2: dark})
        camera.exposed = lambda number: run.controls.stop_after.set() if number == 2 else None
        with self.assertRaisesRegex(Stopped, "after a rung"):
            run.climb()
        kept = [one.shot.rung for one in taken if one.shot.left_out is None]
        self.assertEqual(kept, [0, 1, 2])
        self.assertEqual([one.shot.rung for one in taken if one.shot.left_out], [2])

    def test_without_a_fault_it_ends_with_the_rung_that_was_exposed(self) -> None:
        run, camera, taken = self.run_over({})
        camera.exposed = lambda number: run.controls.stop_after.set() if number == 3 else None
        with self.assertRaises(Stopped):
            run.climb()
        self.assertEqual([one.shot.rung for one in taken], [0, 1, 2, 3])

    def test_a_stop_now_ends_it_where_it_is(self) -> None:
        run, camera, taken = self.run_over({})
        camera.exposed = lambda number: run.controls.stop.stop() if number == 1 else None
        with self.assertRaises(Stopped):
            run.climb()
        self.assertLessEqual(len(taken), 2)


class Strangers(RunTest):
    def test_a_frame_of_another_size_is_shot_again_with_the_reason(self) -> None:
        run, _, taken = self.run_over({3: smaller})
        run.climb()
        self.assertEqual([one.shot.rung for one in taken if one.shot.left_out is None], list(range(6)))
        reasons = [one.shot.left_out for one in taken if one.shot.left_out]
        self.assertIn("is 192 × 100 px of 8 bits, the others 192 × 128 px of 8 bits; shot again", reasons)
        self.assertIn("shot again", run.state.said)

    def test_one_that_stays_strange_is_left_out_and_its_rung_missing(self) -> None:
        run, _, taken = self.run_over({3: deeper, 4: deeper, 5: deeper})
        run.climb()
        self.assertEqual([one.shot.rung for one in taken if one.shot.left_out is None], [0, 1, 2, 4, 5])
        self.assertEqual(run.done, 6)

    def test_the_frames_a_take_has_already_decide_what_is_usual(self) -> None:
        run, _, taken = self.run_over({}, reshoots=0, todo=(4, 5))
        run._usual = (640, 480, 8)
        run.climb()
        self.assertTrue(all("the others 640 × 480 px" in (one.shot.left_out or "") for one in taken))


class Places(RunTest):
    def test_each_frame_carries_where_it_was_planned_and_where_the_rail_said_it_rests(self) -> None:
        run, camera, taken = self.run_over({}, reshoots=0)
        stand = camera.camera
        assert isinstance(stand, SimulatedStand)
        move = stand.move_to
        stand.move_to = lambda position_um, stop=None: move(7.5 * round(position_um / 7.5), stop)  # type: ignore[method-assign]
        run.climb()
        self.assertEqual([one.shot.planned_um for one in taken], list(POSITIONS))
        self.assertEqual([one.shot.reported_um for one in taken], [0.0, 22.5, 37.5, 60.0, 82.5, 97.5])

    def test_a_rail_that_tells_too_little_leaves_it_unknown(self) -> None:
        run, camera, taken = self.run_over({}, reshoots=0)
        stand = camera.camera
        assert isinstance(stand, SimulatedStand)
        move = stand.move_to
        stand.move_to = lambda position_um, stop=None: (move(position_um, stop), None)[1]  # type: ignore[assignment,method-assign,return-value]
        run.climb()
        self.assertEqual([one.shot.reported_um for one in taken], [None] * 6)


if __name__ == "__main__":
    unittest.main()
