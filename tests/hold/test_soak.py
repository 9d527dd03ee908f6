"""The soak of a whole station, short: kills, a full disk and a silent rail while several people work."""

import os
import subprocess
import sys
import unittest

from amber_ladder.launch.serve import SOURCE


class Soaked(unittest.TestCase):
    def test_nothing_that_was_reported_is_lost(self) -> None:
        environment = {**os.environ, "PYTHONPATH": f"{SOURCE / 'src'}{os.pathsep}{SOURCE}"}
        for name in ("AMBER_LADDER_DATABASE_URL", "AMBER_LADDER_DATA", "AMBER_LADDER_RAIL_PORT"):
            environment.pop(name, None)
        command = [sys.executable, "-m", "tests.soak_station", "--minutes", "0.6", "--seed", "3"]
        done = subprocess.run(command, cwd=SOURCE, env=environment, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)
        self.assertIn(": 0 faults", done.stdout)


if __name__ == "__main__":
    unittest.main()
