"""What a worker on another machine, and the invitation to it, refuse or say before anything begins."""

import io
import os
import subprocess
import sys
import tempfile
import unittest
from contextlib import redirect_stdout
from pathlib import Path
from unittest.mock import patch

from amber_ladder.errors import AmberLadderError
from amber_ladder.launch.elsewhere import invite, work_elsewhere
from amber_ladder.launch.serve import SOURCE
from amber_ladder.store import workers
from amber_ladder.store.database import transaction
from amber_ladder.work import presence
from tests.support.station import database


class Refused(unittest.TestCase):
    def setUp(self) -> None:
        self.station = database()
        self.shared = Path(tempfile.mkdtemp(prefix="amber-ladder-shared-"))
        self.set = {
            "AMBER_LADDER_DATABASE_URL": self.station.cluster.url,
            "AMBER_LADDER_SHARED": self.shared.as_uri(),
            "AMBER_LADDER_DATA": str(self.shared / "own"),
        }

    def refused(self, words: str, name: str = "pond", **changes: str) -> None:
        with patch.dict(os.environ, {**self.set, **changes}), self.assertRaisesRegex(AmberLadderError, words):
            work_elsewhere(name, 1.0)

    def test_names_that_cannot_be(self) -> None:
        for name in ("station", "Pond", "a b", "-x", "x" * 41):
            with self.subTest(name):
                self.refused("cannot be called", name)

    def test_what_is_not_set_is_named(self) -> None:
        self.refused("AMBER_LADDER_SHARED is not set: `./ladder invite`", AMBER_LADDER_SHARED="")
        self.refused("AMBER_LADDER_DATABASE_URL is not set", AMBER_LADDER_DATABASE_URL="")

    def test_the_data_of_a_station_are_not_a_cache(self) -> None:
        self.refused("holds a station's data", AMBER_LADDER_DATA=str(self.station.data))

    def test_a_station_of_another_version_is_not_worked_for(self) -> None:
        with transaction() as session:
            workers.show_up(session, workers.STATION, "0.0.1")
        with self.assertRaisesRegex(AmberLadderError, "of version 0.0.1, this worker of"):
            presence.is_alike()
        presence.show_up(workers.STATION)
        self.assertTrue(presence.is_alike())

    def test_a_database_that_is_not_there_is_said_in_one_line(self) -> None:
        gone = {**self.set, "AMBER_LADDER_DATABASE_URL": "postgresql://station:x@127.0.0.1:9/amber_ladder"}
        command = [sys.executable, "-m", "amber_ladder.launch", "worker", "--name", "pond"]
        environment = {**os.environ, **gone, "PYTHONPATH": str(SOURCE / "src")}
        ended = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=60, check=False)
        self.assertEqual(ended.returncode, 1)
        self.assertRegex(ended.stderr, r"^ladder: The database does not answer.*\n$")


class Invited(unittest.TestCase):
    def test_it_says_what_to_enter(self) -> None:
        station = database()
        said = io.StringIO()
        here = {"AMBER_LADDER_DATA": str(station.data), "AMBER_LADDER_SHARED": "s3://pond/ladder"}
        with patch.dict(os.environ, here), redirect_stdout(said):
            invite()
        self.assertIn(f"export AMBER_LADDER_DATABASE_URL={station.cluster.url}\n", said.getvalue())
        self.assertIn("export AMBER_LADDER_SHARED=s3://pond/ladder\n", said.getvalue())
        self.assertIn(f"-L {station.cluster.port}:127.0.0.1:{station.cluster.port} ", said.getvalue())


if __name__ == "__main__":
    unittest.main()
