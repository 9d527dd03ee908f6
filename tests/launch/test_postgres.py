import os
import socket
import tempfile
import unittest
from pathlib import Path

from amber_ladder.launch.postgres import free_port, reachable_by_server, wait_for_port


class Ports(unittest.TestCase):
    def test_a_taken_port_gives_another(self) -> None:
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            port = taken.getsockname()[1]
            self.assertNotEqual(free_port(port), port)
            self.assertTrue(wait_for_port(port, seconds=2))
        self.assertEqual(free_port(port), port)
        self.assertFalse(wait_for_port(port, seconds=0.1))


class DataFolder(unittest.TestCase):
    @unittest.skipUnless(os.geteuid() == 0, "only root starts the database as another user")
    def test_a_home_that_the_database_cannot_enter_is_left_alone(self) -> None:
        with tempfile.TemporaryDirectory() as home:
            Path(home).chmod(0o700)
            chosen = reachable_by_server(Path(home) / "inner" / "data")
            self.assertEqual(chosen.parent, Path("/var/lib/amber-ladder"))
            chosen.rmdir()
            Path(home).chmod(0o755)
            self.assertEqual(reachable_by_server(Path(home) / "data"), (Path(home) / "data").resolve())


if __name__ == "__main__":
    unittest.main()
