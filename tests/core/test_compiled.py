"""Kernels are compiled anew when what they call has changed, be it in another file."""

import os
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import amber_ladder

_CALLS = """
import numpy as np
from amber_ladder.core.fusion._activity import activity, window
plane, coarser, gain = np.zeros((16, 16), np.uint8), np.zeros((8, 8), np.uint16), np.float32(1)
plane[:, 8:] = 200
print(float(activity(plane, coarser, (gain, gain), window(2.2), (0, 15), (0, 15))[0].mean()))
"""


class Compiled(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="amber-ladder-compiled-"))
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        package = Path(amber_ladder.__file__).parent
        for part in ("__init__.py", "compiled.py", "errors.py", "core", "simulated"):
            source, target = package / part, self.folder / "amber_ladder" / part
            ignored = shutil.ignore_patterns("__pycache__")
            if source.is_dir():
                shutil.copytree(source, target, ignore=ignored)
            else:
                target.parent.mkdir(exist_ok=True)
                shutil.copy2(source, target)

    def energy(self) -> float:
        environment = {key: value for key, value in os.environ.items() if key != "NUMBA_CACHE_DIR"}
        environment |= {"PYTHONPATH": str(self.folder), "PYTHONDONTWRITEBYTECODE": "1"}
        done = subprocess.run(
            [sys.executable, "-c", _CALLS], env=environment, capture_output=True, text=True, check=False
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        return float(done.stdout)

    def test_a_change_in_a_file_that_a_kernel_calls_counts(self) -> None:
        first = self.energy()
        self.assertEqual(self.energy(), first)
        called = self.folder / "amber_ladder" / "core" / "fusion" / "_levels.py"
        before = called.stat()
        text = called.read_text()
        self.assertIn("at = 2 * length - 2 - at if at >= length else at", text)
        # What lies beyond the bright end is dark.
        called.write_text(text.replace("at = 2 * length - 2 - at if", "at = 0 * length - 0 * at if"))
        # As a copy or a checkout may leave it: as old and as large as it was.
        os.utime(called, ns=(before.st_atime_ns, before.st_mtime_ns))
        self.assertEqual(called.stat().st_size, before.st_size)
        self.assertLess(self.energy(), 0.95 * first)

    def test_of_what_earlier_versions_compiled_little_is_kept(self) -> None:
        base = self.folder / "kernels"
        for age in range(6):
            old = base / f"code-{age}"
            old.mkdir(parents=True)
            os.utime(old, (1e9 + age, 1e9 + age))
        environment = {**os.environ, "PYTHONPATH": str(self.folder), "NUMBA_CACHE_DIR": str(base)}
        ask = "import amber_ladder, os; print(os.environ['NUMBA_CACHE_DIR'])"
        command = [sys.executable, "-c", ask]
        own = subprocess.run(command, env=environment, capture_output=True, text=True, check=True).stdout.strip()
        self.assertEqual(Path(own).parent, base)
        self.assertEqual(sorted(one.name for one in base.iterdir()), sorted(["code-4", "code-5", Path(own).name]))
        # A process that is started by another one goes by the same.
        environment["NUMBA_CACHE_DIR"] = own
        again = subprocess.run(command, env=environment, capture_output=True, text=True, check=True).stdout.strip()
        self.assertEqual(again, own)


if __name__ == "__main__":
    unittest.main()
