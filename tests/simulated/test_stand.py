"""The simulated stand: a rail and a camera on a clock that is hurried."""

import time
import unittest
from itertools import pairwise

import numpy as np

from amber_ladder.core.optics import InfinityObjective, Rig, Sensor, resolve
from amber_ladder.core.planning import Timing
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import Stopped
from amber_ladder.simulated.clock import HurriedClock
from amber_ladder.simulated.specimens import SPECIMENS
from amber_ladder.simulated.stand import SimulatedStand

SENSOR = Sensor(192, 128, 5.0)


def stand(clock: HurriedClock, timing: Timing | None = None, seed: int = 1) -> SimulatedStand:
    optics = resolve(Rig(SENSOR, InfinityObjective(5, 0.14, 200, 200)))
    return SimulatedStand(SPECIMENS["graupel"], optics, SENSOR, near_um=100.0, seed=seed, timing=timing, clock=clock)


class OnAClock(unittest.TestCase):
    def test_waiting_costs_no_time_and_yet_goes_by(self) -> None:
        clock, began = HurriedClock(), time.monotonic()
        clock.wait(3600.0)
        clock.wait(-5.0)
        self.assertEqual(clock.now_s(), 3600.0)
        self.assertLess(time.monotonic() - began, 10.0)

    def test_frames_carry_the_times_of_a_real_run(self) -> None:
        shooting = stand(HurriedClock(), Timing(settle_s=1.0, exposure_s=0.5, recycle_s=2.0))
        times = []
        for i in range(3):
            shooting.move_to(100.0 + 20.0 * i)
            times.append(shooting.expose().captured_at)
        self.assertEqual([round((b - a).total_seconds(), 6) for a, b in pairwise(times)], [2.5, 2.5])

    def test_it_rests_where_it_was_sent_and_says_so(self) -> None:
        shooting = stand(HurriedClock())
        self.assertEqual(shooting.position_um(), 100.0)
        self.assertEqual(shooting.move_to(163.7, StopToken()), 163.7)
        self.assertEqual(shooting.position_um(), 163.7)
        shooting.expose()
        self.assertAlmostEqual(shooting.truths[-1].focus_um, 63.7)

    def test_a_stop_holds_before_it_moves(self) -> None:
        shooting, stop = stand(HurriedClock()), StopToken()
        stop.stop()
        for move in (lambda: shooting.move_to(500.0, stop), lambda: shooting.home(stop)):
            with self.assertRaises(Stopped):
                move()
        self.assertEqual(shooting.position_um(), 100.0)

    def test_the_same_seed_is_the_same_individual(self) -> None:
        one, same, other = (stand(HurriedClock(), seed=seed).sharp_depth_um(np.eye(2, 3)) for seed in (1, 1, 2))
        np.testing.assert_array_equal(one, same)
        self.assertGreater(float(np.abs(one - other).mean()), 1.0)


if __name__ == "__main__":
    unittest.main()
