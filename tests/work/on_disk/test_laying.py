"""Merges that overlap, laid together on the disk, and measured across their seams."""

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
import tifffile

from amber_ladder.core.frames import no_progress
from amber_ladder.errors import BadInput
from amber_ladder.formats.measures_json import MeasuresJson
from amber_ladder.formats.results import read_depth, write_composite, write_depth, write_json
from amber_ladder.formats.tile_set_json import TileSetJson
from amber_ladder.work.on_disk.laying import lay_tiles
from amber_ladder.work.on_disk.measuring import measure_folder
from benchmarks.tiled import GRID, OVERLAP, SHAPE, Whole
from tests.core.tiles.test_laid import whole

UM_PER_PX = 1.2


def write_merge(folder: Path, made: Whole, number: int, **report: Any) -> None:
    """A tile as a merge leaves it."""
    folder.mkdir()
    write_composite(folder / "composite.tif", made.pictures[number], um_per_px=UM_PER_PX)
    write_depth(folder / "depth.tif", made.depths[number], unit="µm", um_per_px=UM_PER_PX)
    write_depth(folder / "depth_u.tif", np.full(SHAPE, 2.0, np.float32), unit="µm", uncertainty=True)
    frame = {"file": "f_1.jpg", "matrix": [[1, 0, 0], [0, 1, 0]], "rms_px": 0.0}
    whole = {
        "registration": [frame], "crop": {"x": 2, "y": 2, "width": SHAPE[1] - 4, "height": SHAPE[0] - 4},
        "settings": {"depth_unit": "µm"},
        "scale": {"um_per_px": UM_PER_PX, "u_um_per_px": 0.001, "source": "measured"}, **report,
    }  # fmt: skip
    write_json(folder / "report.json", whole)


class Laying(unittest.TestCase):
    folder: ClassVar[Path]
    made: ClassVar[Whole]
    names: ClassVar[list[str]]

    @classmethod
    def setUpClass(cls) -> None:
        scratch = tempfile.TemporaryDirectory()
        cls.addClassCleanup(scratch.cleanup)
        cls.folder, (cls.made, _, _) = Path(scratch.name), whole("wulfenite")
        cls.names = [f"tile_{n:02d}" for n in range(GRID**2)]
        for number, name in enumerate(cls.names):
            write_merge(cls.folder / name, cls.made, number)

    def lay(self, out: str = "whole", **entry: Any) -> dict[str, Any]:
        told = {"results": self.names, "grid": {"columns": GRID, "overlap": OVERLAP}, **entry}
        return lay_tiles(TileSetJson.model_validate(told), self.folder, self.folder / out, no_progress)

    def test_the_whole_is_a_result_that_is_measured_across_its_seams(self) -> None:
        report = self.lay()
        self.assertEqual(report, json.loads((self.folder / "whole" / "report.json").read_text()))
        self.assertEqual(report["warnings"], [])
        self.assertTrue(all(seam["rms_px"] < 0.5 for seam in report["seams"]))
        picture = tifffile.imread(self.folder / "whole" / "composite.tif")
        depth = read_depth(self.folder / "whole" / "depth.tif")
        self.assertEqual(picture.shape[:2], depth.shape)
        self.assertGreater(picture.shape[1], 3.2 * SHAPE[1])
        # From a place of the first tile to one of the last, across every row and column.
        matrices = [np.array(one["matrix"]) for one in report["registration"]]
        for first, last in ((0, 15), (3, 12), (1, 14)):
            places = np.array([[60.0, 200.0], [350.0, 90.0]])
            laid, true = (
                [some[n][:, :2] @ at + some[n][:, 2] for n, at in zip((first, last), places, strict=True)]
                for some in (matrices, self.made.matrices)
            )
            entry = {"measures": [{"name": "across", "kind": "length", "points": [one.tolist() for one in laid]}]}
            told = measure_folder(self.folder / "whole", MeasuresJson.model_validate(entry))["measures"][0]
            length = float(np.hypot(*(true[0] - true[1]))) * UM_PER_PX
            self.assertAlmostEqual(told["value"] / length, 1.0, delta=0.002)

    def test_places_of_the_stage_do_as_well_as_a_grid(self) -> None:
        places = (np.asarray(self.made.said) * UM_PER_PX + [5000, -300]).round(1).tolist()
        report = self.lay("by-stage", grid=None, places_um=places)
        self.assertEqual(report["warnings"], [])

    def test_snakes_are_read_as_they_were_shot(self) -> None:
        rows = [self.names[n : n + GRID] for n in range(0, GRID**2, GRID)]
        shot = [name for n, row in enumerate(rows) for name in (reversed(row) if n % 2 else row)]
        report = self.lay("snake", results=shot, grid={"columns": GRID, "overlap": OVERLAP, "order": "snake"})
        self.assertEqual(report["warnings"], [])

    def test_what_cannot_be_laid_is_refused_by_its_tile_and_nothing_is_written(self) -> None:
        write_merge(self.folder / "coarser", self.made, 1, scale={"um_per_px": 2.4, "source": "measured"})
        for results, told in (
            ([self.names[0], "nowhere"], "tile 2: .*nowhere is not the result of a merge"),
            ([self.names[0], "coarser"], r"tile 2 \(coarser\) has 2.4 µm/px and the first one 1.2"),
        ):
            with self.assertRaisesRegex(BadInput, told):
                self.lay("refused", results=results, grid={"columns": 2})
        self.assertFalse((self.folder / "refused").exists())
        for entry in ({"grid": None}, {"places_um": [[0, 0]] * 16}, {"grid": None, "places_um": [[0, 0]]}):
            with self.assertRaises(ValueError):
                self.lay("refused", **entry)

    def test_a_tile_that_lies_elsewhere_is_said_not_to_be_tied(self) -> None:
        results = [*self.names[:3], self.names[12]]  # the last one belongs elsewhere
        report = self.lay("foreign", results=results, grid={"columns": 4, "overlap": OVERLAP})
        self.assertIn("tile_12 shows nothing that its neighbours show", report["warnings"][0])
        self.assertIsNone(report["registration"][3]["u_px"])


if __name__ == "__main__":
    unittest.main()
