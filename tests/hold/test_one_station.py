"""One station for one data folder; other people's database servers are left alone."""

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from amber_ladder.errors import AmberLadderError
from amber_ladder.launch.data_lock import DataLock
from amber_ladder.launch.postgres import Cluster, free_port
from amber_ladder.launch.serve import SOURCE, Station
from tests.support.station import running


class SecondStart(unittest.TestCase):
    def test_it_says_who_holds_the_data_and_leaves_the_first_alone(self) -> None:
        first = running()
        second = Station(first.data, port=free_port(0), rail_port=free_port(0), durable=False)
        with self.assertRaisesRegex(AmberLadderError, rf"process {os.getpid()}, since .* at {first.address}"):
            second.open_database()
        second.stop()
        first.cluster.start()  # were it stopped, it would come up on this port only now
        self.assertTrue(first.cluster._running())
        command = [sys.executable, "-m", "amber_ladder.launch", "start", "--port", "0"]
        environment = {**os.environ, "AMBER_LADDER_DATA": str(first.data), "PYTHONPATH": str(SOURCE / "src")}
        tried = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=60, check=False)
        self.assertEqual(tried.returncode, 1)
        self.assertIn("another station works with", tried.stderr)
        self.assertNotIn("Traceback", tried.stderr)
        self.assertTrue(first.cluster._running())

    def test_a_killed_process_leaves_no_lock_behind(self) -> None:
        folder = Path(tempfile.mkdtemp(prefix="amber-ladder-lock-", dir="/tmp"))
        self.addCleanup(shutil.rmtree, folder)
        hold = (
            "import sys, time; from pathlib import Path; from amber_ladder.launch.data_lock import DataLock; "
            f"lock = DataLock(Path({str(folder)!r})); lock.take(); print('held', flush=True); time.sleep(600)"
        )
        holder = subprocess.Popen(
            [sys.executable, "-c", hold],
            stdout=subprocess.PIPE,
            env={**os.environ, "PYTHONPATH": str(SOURCE / "src")},
        )
        assert holder.stdout is not None
        self.addCleanup(holder.stdout.close)
        self.assertEqual(holder.stdout.readline(), b"held\n")
        lock = DataLock(folder)
        with self.assertRaisesRegex(AmberLadderError, f"process {holder.pid}"):
            lock.take()
        holder.send_signal(signal.SIGKILL)
        holder.wait()
        lock.take()
        lock.let_go()


class CopiedPid(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="amber-ladder-pid-", dir="/tmp"))
        self.folder.chmod(0o755)
        self.addCleanup(shutil.rmtree, self.folder)

    def test_a_pid_file_of_another_server_is_not_trusted(self) -> None:
        other = running().cluster
        own = Cluster(self.folder / "postgres", durable=False)
        own.start()
        own.stop()
        # As it is when a data folder was copied while its server ran.
        shutil.copy(other._cluster / "postmaster.pid", own._cluster / "postmaster.pid")
        self.assertFalse(own._running())
        own.start()
        self.addCleanup(own.stop)
        self.assertNotEqual(own.port, other.port)
        self.assertTrue(other._running())

    def test_nor_is_one_whose_number_went_to_another_process(self) -> None:
        own = Cluster(self.folder / "postgres", durable=False)
        own.start()
        own.stop()
        lines = [str(os.getpid()), str(own._cluster), "1", "5999", "", "127.0.0.1", "0 0", "ready"]
        (own._cluster / "postmaster.pid").write_text("\n".join(lines))
        own.stop()  # stops nothing: this very process
        own.start()
        self.addCleanup(own.stop)
        self.assertNotEqual(own.port, 5999)


if __name__ == "__main__":
    unittest.main()
