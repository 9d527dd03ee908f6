"""The G-code driver against the simulated rail, over its socket."""

import socketserver
import threading
import time
import unittest
from dataclasses import asdict
from typing import Any, ClassVar

import numpy as np

from amber_ladder.devices.gcode_rail import GcodeRail
from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import DeviceTrouble, OutOfReach, Stopped
from amber_ladder.simulated.rail.eye import RailEye
from amber_ladder.simulated.rail.mechanics import Build, RailMechanics
from amber_ladder.simulated.rail.server import RailServer
from tests.support.rail import RailProcess


class AnswersAtTheEnd:
    """A controller of another make, on a port: it answers a move when that has ended, and may tell fewer digits."""

    def __init__(self, *, digits: int = 4, at_once: bool = False) -> None:
        rail = RailServer(Build(min_um=0.0))
        rail.mechanics.homed = True

        class Line(socketserver.StreamRequestHandler):
            def handle(self) -> None:
                waiting = False
                self.connection.settimeout(0.01)
                heard = b""
                while True:
                    try:
                        part = self.connection.recv(100)
                        if not part:
                            return
                        heard += part
                    except TimeoutError:
                        pass
                    if waiting and not rail.mechanics.truth(time.monotonic()).moving:
                        waiting = False
                        self.wfile.write(b"ok\n")
                    while b"\n" in heard:
                        line, _, heard = heard.partition(b"\n")
                        answer = rail.answer(line.decode())
                        if answer.startswith("X:"):
                            answer = f"X:{float(answer.split()[0][2:]):.{digits}f}\nok"
                        if line.startswith(b"G1") and answer == "ok" and not at_once:
                            waiting = True
                        else:
                            self.wfile.write(answer.encode() + b"\n")

        self._server = socketserver.ThreadingTCPServer(("127.0.0.1", 0), Line)
        self._server.daemon_threads = True
        self.address = f"socket://127.0.0.1:{self._server.server_address[1]}"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def close(self) -> None:
        self._server.shutdown()
        self._server.server_close()


class RailTest(unittest.TestCase):
    process: ClassVar[RailProcess]

    @classmethod
    def setUpClass(cls) -> None:
        cls.process = RailProcess()
        cls.addClassCleanup(cls.process.unplug)

    def connect(self, build: Build | None = None, **options: Any) -> tuple[GcodeRail, RailEye]:
        eye = RailEye(self.process.port)
        eye.rebuild(**asdict(build or Build(min_um=0.0)), trouble=None)
        rail = GcodeRail(self.process.address, **options)
        self.addCleanup(eye.close)
        self.addCleanup(rail.close)
        return rail, eye


class Moves(RailTest):
    def test_it_moves_in_whole_clicks_and_says_where_it_is(self) -> None:
        rail, _ = self.connect()
        rail.home(StopToken())
        self.assertEqual(rail.position_um(), 0.0)
        rail.move_to(1234.0, StopToken())
        self.assertEqual(rail.position_um(), 1235.0)

    def test_nothing_moves_before_it_was_homed(self) -> None:
        started_anew = RailProcess()
        self.addCleanup(started_anew.unplug)
        rail = GcodeRail(started_anew.address)
        self.addCleanup(rail.close)
        with self.assertRaisesRegex(DeviceTrouble, "not homed"):
            rail.move_to(100.0, StopToken())

    def test_the_end_of_the_travel_holds(self) -> None:
        rail, _ = self.connect(Build(min_um=0.0, max_um=2000.0))
        rail.home(StopToken())
        rail.move_to(500.0, StopToken())
        with self.assertRaisesRegex(OutOfReach, "beyond the travel of 0 to 2 mm"):
            rail.move_to(2500.0, StopToken())
        self.assertEqual(rail.position_um(), 500.0)

    def test_a_move_takes_its_time_and_can_be_stopped(self) -> None:
        rail, _ = self.connect(speed_mm_s=4.0)
        rail.home(StopToken())
        stop = StopToken()
        threading.Timer(0.3, stop.stop).start()
        with self.assertRaises(Stopped):
            rail.move_to(30_000.0, stop)
        here = rail.position_um()
        self.assertTrue(100.0 < here < 20_000.0, here)
        self.assertEqual(rail.position_um(), here)
        rail.move_to(here + 100.0, StopToken())  # it can go on afterwards
        self.assertEqual(rail.position_um(), here + 100.0)


class Stops(RailTest):
    """A stop holds from the moment it was said, whatever is under way or waiting."""

    def test_while_it_homes(self) -> None:
        rail, _ = self.connect()
        rail.home(StopToken())
        rail.move_to(20_000.0, StopToken())
        stop = StopToken()
        threading.Timer(0.5, stop.stop).start()
        with self.assertRaises(Stopped):
            rail.home(stop)
        here = rail.position_um()
        self.assertGreater(here, 1000.0)
        self.assertEqual(rail.position_um(), here)
        # It has not found its end: whoever moves it next must let it home first.
        with self.assertRaisesRegex(DeviceTrouble, "not homed"):
            rail.move_to(500.0, StopToken())

    def test_before_the_move(self) -> None:
        rail, _ = self.connect()
        rail.home(StopToken())
        stop = StopToken()
        stop.stop()
        for move in (lambda: rail.move_to(5000.0, stop), lambda: rail.home(stop)):
            with self.assertRaises(Stopped):
                move()
        self.assertEqual(rail.position_um(), 0.0)

    def test_a_hold_that_is_not_renewed(self) -> None:
        rail, _ = self.connect()
        rail.home(StopToken())
        stop = StopToken(lives_s=1.5)
        renewing = threading.Timer(0.75, stop.renew)
        renewing.start()
        started = time.monotonic()
        with self.assertRaises(Stopped):
            rail.move_to(30_000.0, stop)
        self.assertGreater(time.monotonic() - started, 2.0)  # it was renewed once
        self.assertLess(rail.position_um(), 20_000.0)
        stop.renew()
        self.assertTrue(stop.stopped)  # what has ended stays ended

    def test_where_a_controller_answers_a_move_at_its_end(self) -> None:
        slow = AnswersAtTheEnd()
        self.addCleanup(slow.close)
        rail = GcodeRail(slow.address)
        self.addCleanup(rail.close)
        stop = StopToken()
        threading.Timer(0.3, stop.stop).start()
        with self.assertRaises(Stopped):
            rail.move_to(30_000.0, stop)
        self.assertLess(rail.position_um(), 20_000.0)


class WhereItIs(RailTest):
    def test_a_move_tells_where_the_rail_rests_rather_than_where_it_was_sent(self) -> None:
        rail, _ = self.connect()
        rail.home(StopToken())
        self.assertEqual(rail.move_to(1234.0, StopToken()), 1235.0)

    def test_a_step_below_a_click_moves_nothing_and_is_told(self) -> None:
        rail, _ = self.connect(Build(min_um=0.0, click_um=2.5))
        rail.home(StopToken())
        rail.move_to(500.0, StopToken())
        self.assertEqual(rail.move_to(500.5, StopToken()), 500.0)
        self.assertAlmostEqual(rail.move_to(503.0, StopToken()) or 0.0, 502.5)

    def test_a_slow_start_is_no_arrival(self) -> None:
        rail, eye = self.connect(Build(min_um=0.0, click_um=5.0, acceleration_um_s2=150.0, backlash_um=0.0))
        rail.home(StopToken())
        # The first click takes a quarter of a second, longer than a rail rests between clicks.
        self.assertEqual(rail.move_to(5.0, StopToken()), 5.0)
        self.assertEqual(eye.truth()[0].carriage_um, 5.0)

    def test_a_controller_that_tells_hundredths_of_a_mm_does_not_tell_where_a_frame_lies(self) -> None:
        coarse = AnswersAtTheEnd(digits=2, at_once=True)
        self.addCleanup(coarse.close)
        rail = GcodeRail(coarse.address)
        self.addCleanup(rail.close)
        self.assertIsNone(rail.move_to(1002.5, StopToken()))


class Backlash(RailTest):
    def test_from_near_it_never_shows_and_from_far_it_does(self) -> None:
        rail, eye = self.connect(Build(min_um=0.0, backlash_um=80.0))
        rail.home(StopToken())
        for position in (500.0, 520.0, 540.0):
            rail.move_to(position, StopToken())
            self.assertEqual(eye.truth()[0].carriage_um, position)
        rail.move_to(500.0, StopToken())
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
        self.assertIn("error: HELLO is not understood", self.answers("hello")[0])
        self.assertIn("error: G7 is not known", self.answers("G7 X1")[0])

    def test_a_line_that_is_understood_in_part_moves_nothing(self) -> None:
        server = RailServer()
        server.mechanics.homed = True
        before = server.mechanics.reported_um(time.monotonic())
        for line in ("G1 Xabc", "G1 X5 abc", "G1 X", "G1 X1.2.3", "G1 Y5", "X5abc G1"):
            self.assertTrue(server.answer(line).startswith("error: "), line)
        self.assertEqual(server.mechanics.reported_um(time.monotonic() + 5), before)
        self.assertEqual(server.answer("N7 G1 X+.5 F300"), "ok")


class Stage(unittest.TestCase):
    """Two more axes of the same controller."""

    def test_each_axis_moves_by_itself_and_none_runs_to_its_end_with_the_focus(self) -> None:
        process = RailProcess("--stage")
        self.addCleanup(process.unplug)
        focus = GcodeRail(process.address)
        self.addCleanup(focus.close)
        right, down = focus.beside("Y"), focus.beside("Z")
        eye = RailEye(process.port)
        self.addCleanup(eye.close)
        right.move_to(1000.0, StopToken())
        down.move_to(-500.0, StopToken())
        self.assertEqual((right.position_um(), down.position_um()), (1000.0, -500.0))
        focus.home(StopToken())
        focus.move_to(200.0, StopToken())
        self.assertEqual((focus.position_um(), right.position_um(), down.position_um()), (200.0, 1000.0, -500.0))
        truly = eye.stage_um()
        assert truly
        np.testing.assert_allclose(truly, (1000.0, -500.0), atol=16.0)  # its screws have play
        right.home(StopToken())
        self.assertEqual((right.position_um(), down.position_um()), (-15_000.0, -500.0))
        with self.assertRaisesRegex(OutOfReach, "beyond the travel"):
            down.move_to(20_000.0, StopToken())

    def test_a_stop_ends_an_axis_wherever_it_is(self) -> None:
        process = RailProcess("--stage")
        self.addCleanup(process.unplug)
        focus = GcodeRail(process.address)
        self.addCleanup(focus.close)
        stop, right = StopToken(), focus.beside("Y")
        threading.Timer(0.4, stop.stop).start()
        with self.assertRaises(Stopped):
            right.move_to(14_000.0, stop)
        here = right.position_um()
        self.assertTrue(0.0 < here < 13_500.0, here)
        self.assertEqual(right.position_um(), here)

    def test_a_controller_that_moves_no_stage_is_told_apart(self) -> None:
        process = RailProcess()
        self.addCleanup(process.unplug)
        focus = GcodeRail(process.address)
        self.addCleanup(focus.close)
        with self.assertRaisesRegex(DeviceTrouble, "M114 brought no Y"):
            focus.beside("Y")
        self.assertEqual(focus.position_um(), 1000.0)  # its line is as good as before
        eye = RailEye(process.port)
        self.addCleanup(eye.close)
        self.assertIsNone(eye.stage_um())


if __name__ == "__main__":
    unittest.main()
