"""Imports of the pages go one way: app → places | stages → pictures | ladder | specimen → ui | client → lib."""

import re
import unittest
from os.path import normpath
from pathlib import Path

from amber_ladder.launch.serve import SOURCE

_PAGES = SOURCE / "web" / "src"
_FLOORS = {
    "app": 4,
    "places": 3,
    "stages": 3,
    "pictures": 2,
    "ladder": 2,
    "specimen": 2,
    "ui": 1,
    "client": 1,
    "lib": 0,
}
_IMPORT = re.compile(r"""(?:from|import\()\s*["'](\.[^"']*)["']""")


def against_direction(files: dict[str, str]) -> list[str]:
    """Imports, by file below web/src, that go up a floor, or from one stage or place into another."""
    found = []
    for name, text in files.items():
        here = Path(name)
        for target in _IMPORT.findall(text):
            there = Path(normpath(here.parent / target))
            room, other = here.parts[0], there.parts[0]
            up = _FLOORS[other] > _FLOORS[room]
            # A stage and a place keep to themselves: what two of them share lies a floor below.
            across = _FLOORS[room] == 3 and _FLOORS[other] == 3 and here.parts[:2] != there.parts[:2]
            if up or (across and len(here.parts) > 2):
                found.append(f"{name} imports {there}")
    return found


class Directions(unittest.TestCase):
    def test_the_pages_keep_to_them(self) -> None:
        files = {str(path.relative_to(_PAGES)): path.read_text() for path in sorted(_PAGES.rglob("*.ts*"))}
        self.assertGreater(len(files), 50)
        self.assertEqual(against_direction(files), [])

    def test_what_goes_up_or_across_is_found(self) -> None:
        files = {
            "ui/Button.tsx": 'import { useStack } from "../specimen/stack";',
            "stages/plan/Result.tsx": 'import { x } from "../../places/rigs/RigForm"; import { y } from "./draft";',
            "stages/merge/A.tsx": 'const B = lazy(() => import("../shoot/B"));',
            "places/rigs/C.tsx": 'import { z } from "../../ui/Button";',
        }
        self.assertEqual(
            against_direction(files),
            [
                "ui/Button.tsx imports specimen/stack",
                "stages/plan/Result.tsx imports places/rigs/RigForm",
                "stages/merge/A.tsx imports stages/shoot/B",
            ],
        )


if __name__ == "__main__":
    unittest.main()
