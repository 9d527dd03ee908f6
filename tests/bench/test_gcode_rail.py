"""The G-code driver against the simulated rail, over its socket."""

import threading
import time
import unittest
from dataclasses import asdict
from typing import ClassVar

import numpy as np

from amber_ladder.bench.gcode_rail import GcodeRail
from amber_ladder.bench.simulated_rail.eye import RailEye
from amber_ladder.bench.simulated_rail.mechanics import Build, RailMechanics
from amber_ladder.bench.simulated_rail.server import RailServer
from amber_ladder.errors import DeviceTrouble, OutOfReach, Stopped
from tests.support.rail import RailProcess


class RailTest(unittest.TestCase):
    process: ClassVar[RailProcess]

    @classmethod
    def setUpClass(cls) -> None:
        cls.process = RailProcess()
        cls.addClassCleanup(cls.process.unplug)

    def connect(self, build: Build | None = None, **options: float) -> tuple[GcodeRail, RailEye]:
        eye = RailEye(self.process.port)
        eye.rebuild(**asdict(build or Build(min_um=0.0)), trouble=None)
        rail = GcodeRail(self.process.address, **options)
        self.addCleanup(eye.close)
        self.addCleanup(rail.close)
        return rail, eye


class Moves(RailTest):
    def test_it_moves_in_whole_clicks_and_says_where_it_is(self) -> None:
        rail, _ = self.connect()
        rail.home()
        self.assertEqual(rail.position_um(), 0.0)
        rail.move_to(1234.0)
        self.assertEqual(rail.position_um(), 1235.0)

    def test_nothing_moves_before_it_was_homed(self) -> None:
        started_anew = RailProcess()
        self.addCleanup(started_anew.unplug)
        rail = GcodeRail(started_anew.address)
        self.addCleanup(rail.close)
        with self.assertRaisesRegex(DeviceTrouble, "not homed"):
            rail.move_to(100.0)

    def test_the_end_of_the_travel_holds(self) -> None:
        rail, _ = self.connect(Build(min_um=0.0, max_um=2000.0))
        rail.home()
        rail.move_to(500.0)
        with self.assertRaisesRegex(OutOfReach, "beyond the travel of 0 to 2 mm"):
            rail.move_to(2500.0)
        self.assertEqual(rail.position_um(), 500.0)

    def test_a_move_takes_its_time_and_can_be_stopped(self) -> None:
        rail, _ = self.connect(speed_mm_s=4.0)
        rail.home()
        threading.Timer(0.3, rail.stop).start()
        started = time.monotonic()
        with self.assertRaises(Stopped):
            rail.move_to(30_000.0)
        self.assertLess(time.monotonic() - started, 2.0)
        here = rail.position_um()
        self.assertTrue(100.0 < here < 8000.0, here)
        self.assertEqual(rail.position_um(), here)
        rail.move_to(here + 100.0)  # it can go on afterwards
        self.assertEqual(rail.position_um(), here + 100.0)


class Backlash(RailTest):
    def test_from_near_it_never_shows_and_from_far_it_does(self) -> None:
        rail, eye = self.connect(Build(min_um=0.0, backlash_um=80.0))
        rail.home()
        for position in (500.0, 520.0, 540.0):
            rail.move_to(position)
            self.assertEqual(eye.truth()[0].carriage_um, position)
        rail.move_to(500.0)
        self.assertEqual(eye.truth()[0].carriage_um, 540.0)


class Mechanics(unittest.TestCase):
    """In the mechanics' own time: nothing waits."""

    def test_shaking_dies_away_after_a_move(self) -> None:
        rail = RailMechanics(Build(min_um=0.0, shake_um=6.0, shake_dies_s=0.1), homed=True)
        rail.send(1400.0, 0.0)
        self.assertTrue(rail.truth(0.05).moving)
        early, late = rail.truth(0.3), rail.truth(1.0)
        self.assertFalse(early.moving)
        self.assertAlmostEqual(late.amplitude_um / early.amplitude_um, float(np.exp(-7.0)), places=6)

    def test_a_move_takes_as_long_as_speed_and_acceleration_say(self) -> None:
        build = Build(min_um=0.0, speed_um_s=1000.0, acceleration_um_s2=10_000.0)
        rail = RailMechanics(build, homed=True)
        rail.send(2000.0, 0.0)  # from 1000: a tenth of a second to full speed and back, 0.9 mm between them
        self.assertTrue(rail.truth(1.09).moving)
        self.assertFalse(rail.truth(1.11).moving)
        self.assertAlmostEqual(rail.reported_um(2.0), 2000.0)


class Trouble(RailTest):
    def test_silence_is_said_after_a_while(self) -> None:
        rail, eye = self.connect(answer_s=0.3)
        eye.rebuild(trouble="silence")
        with self.assertRaisesRegex(DeviceTrouble, "no answer to M114.*power and cable"):
            rail.position_um()

    def test_garbage_is_quoted(self) -> None:
        rail, eye = self.connect(answer_s=0.3)
        eye.rebuild(trouble="garbage")
        with self.assertRaisesRegex(DeviceTrouble, "not understood.*line speed"):
            rail.position_um()
        eye.rebuild(trouble=None)
        rail.position_um()

    def test_an_unplugged_rail_is_gone_and_then_nobody_answers(self) -> None:
        own = RailProcess()
        rail = GcodeRail(own.address)
        own.unplug()
        with self.assertRaisesRegex(DeviceTrouble, "is gone"):
            rail.position_um()
        with self.assertRaisesRegex(DeviceTrouble, "no rail answers at socket"):
            GcodeRail(own.address)


class Lines(unittest.TestCase):
    def answers(self, *lines: str) -> list[str]:
        server = RailServer()
        server.mechanics.homed = True
        return [server.answer(line) for line in lines]

    def test_words_of_the_contract(self) -> None:
        self.assertEqual(self.answers("G21 G90", "G91 G0 X0.1 F300", "M112", "; a remark", "")[0::1], ["ok"] * 5)

    def test_inches_and_relative_moves(self) -> None:
        server = RailServer(Build(speed_um_s=1e6, acceleration_um_s2=1e9))
        server.mechanics.homed = True
        before = server.mechanics.reported_um(time.monotonic())
        server.answer("G20 G91 G1 X0.01")
        later = server.mechanics.reported_um(time.monotonic() + 5)
        self.assertAlmostEqual(later - before, 255.0, delta=1.3)  # 0.254 mm on 2.5 µm clicks

    def test_what_is_not_understood_is_refused(self) -> None:
        self.assertEqual(self.answers("hello"), ["error: nothing understood"])
        self.assertIn("error: G7 is not known", self.answers("G7 X1")[0])


if __name__ == "__main__":
    unittest.main()
