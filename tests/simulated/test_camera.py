"""The simulated camera, whose pictures are made in a process of their own."""

import io
import signal
import subprocess
import sys
import unittest
from dataclasses import replace
from unittest.mock import patch

import numpy as np
import psutil  # type: ignore[import-untyped]
from PIL import Image

from amber_ladder.core.optics import InfinityObjective, Rig, Sensor, resolve
from amber_ladder.errors import DeviceTrouble
from amber_ladder.simulated.camera import CameraSetup, SimulatedCamera
from amber_ladder.simulated.flash import SimulatedFlash
from amber_ladder.simulated.rail.mechanics import Build, Truth
from amber_ladder.simulated.wobble import Wobble
from tests.support.station import until

OBJECTIVE = InfinityObjective(5, 0.14, 200, 200)
SENSOR = Sensor(480, 320, 5.0)
SETUP = CameraSetup(
    "wulfenite", resolve(Rig(SENSOR, OBJECTIVE)), SENSOR,
    near_um=100.0, exposure_s=0.0, transfer_s=0.0, seed=3, wobble=Wobble(), restless=frozenset(),
)  # fmt: skip


def camera(carriage_um: float = 250.0, setup: CameraSetup = SETUP) -> SimulatedCamera:
    return SimulatedCamera(setup, SimulatedFlash(0.0), lambda: (Truth(carriage_um, False, 0.0, 0.0), Build()))


def pictures_made_in(parent: psutil.Process) -> list[psutil.Process]:
    return [one for one in parent.children() if "amber_ladder.simulated.camera.process" in one.cmdline()]


class InAProcessOfItsOwn(unittest.TestCase):
    def test_frames_are_lit_as_the_flash_gave_and_focused_where_the_carriage_is(self) -> None:
        one = camera()
        self.addCleanup(one.close)
        full, half = SETUP.right_power, SETUP.right_power / 2
        flash = one._flash
        means = []
        for power in (full, half):
            flash.power = power
            picture = np.asarray(Image.open(io.BytesIO(one.expose().content)), np.float64)
            self.assertEqual(picture.shape, (320, 480, 3))
            means.append(float(np.median((picture / 255) ** 2.2)))
        self.assertAlmostEqual(means[1] / means[0], 0.5, delta=0.06)
        self.assertEqual([truth.focus_um for truth in one.truths], [150.0, 150.0])
        self.assertAlmostEqual(one.truths[1].gain / one.truths[0].gain, 0.5, delta=0.05)

    def test_live_view_and_loupe_show_what_an_exposure_shows(self) -> None:
        one = camera()
        self.addCleanup(one.close)
        one._flash.power = one.right_power
        frame = np.asarray(Image.open(io.BytesIO(one.expose().content)), np.float64)
        live, loupe = one.live(240).astype(np.float64), one.loupe(0.5, 0.5, 128).astype(np.float64)
        self.assertEqual((live.shape, loupe.shape), ((213 - 53, 240, 3), (128, 128, 3)))
        self.assertGreater(np.corrcoef(loupe.ravel(), frame[96:224, 176:304].ravel())[0, 1], 0.95)
        shrunk = np.asarray(
            Image.fromarray(frame.astype(np.uint8)).resize((240, 160), Image.Resampling.BOX), np.float64
        )
        self.assertGreater(np.corrcoef(live.ravel(), shrunk.ravel())[0, 1], 0.95)

    def test_two_cameras_of_one_station_share_the_process_and_it_is_replaced_when_it_dies(self) -> None:
        one, two = camera(), camera(400.0)
        self.addCleanup(one.close)
        self.addCleanup(two.close)
        (process,) = pictures_made_in(psutil.Process())
        process.kill()
        process.wait()
        self.assertEqual(one.live(240).shape, (160, 240, 3))
        self.assertEqual(two.expose().suffix, ".jpg")
        (another,) = pictures_made_in(psutil.Process())
        self.assertNotEqual(another.pid, process.pid)

    def test_one_that_cannot_start_says_so(self) -> None:
        with patch.object(sys, "executable", "/bin/false"), self.assertRaisesRegex(DeviceTrouble, "smaller sensor"):
            pictures = pictures_made_in(psutil.Process())
            for process in pictures:
                process.kill()
                process.wait()
            camera()

    def test_a_large_scene_takes_no_memory_of_the_station(self) -> None:
        sensor = Sensor(2400, 1600, 5.0)
        station = psutil.Process()
        before = station.memory_info().rss
        one = camera(setup=replace(SETUP, sensor=sensor, optics=resolve(Rig(sensor, OBJECTIVE))))
        self.addCleanup(one.close)
        self.assertEqual(one.live(1200).shape, (800, 1200, 3))
        (process,) = pictures_made_in(station)
        self.assertGreater(process.memory_info().rss, 150_000_000)
        self.assertLess(station.memory_info().rss - before, 40_000_000)

    def test_what_fails_while_it_renders_is_told_and_the_camera_stays(self) -> None:
        one = camera()
        self.addCleanup(one.close)
        with self.assertRaisesRegex(DeviceTrouble, "ZeroDivisionError"):
            one.live(0)
        self.assertEqual(one.live(240).shape, (160, 240, 3))

    def test_a_station_that_is_killed_leaves_no_process_behind(self) -> None:
        words = "from tests.simulated.test_camera import camera; one = camera(); print('open', flush=True); input()"
        with subprocess.Popen(
            [sys.executable, "-c", words], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        ) as station:
            assert station.stdout is not None
            self.assertEqual(station.stdout.readline(), "open\n")
            (process,) = pictures_made_in(psutil.Process(station.pid))
            station.send_signal(signal.SIGKILL)
        until(lambda: not process.is_running() or process.status() == psutil.STATUS_ZOMBIE, "its end")


if __name__ == "__main__":
    unittest.main()
