"""All of a record in one OME-TIFF, as another program reads it."""

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import ClassVar

import numpy as np
import tifffile
from ome_types import from_tiff

from amber_ladder.errors import NotFound
from amber_ladder.formats.results import write_ome
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import mend, record, tasks
from amber_ladder.work.stack.views import MergeView
from tests.support.takes import a_merge, have_done, shot_stack


class AllInOneFile(unittest.TestCase):
    merge: ClassVar[MergeView]
    mended_id: ClassVar[int]

    @classmethod
    def setUpClass(cls) -> None:
        cls.merge = a_merge(shot_stack("WHOLE-1").takes[0].id)
        view = mend.begin(cls.merge.id, mend.MendEntry(name="for the plate"))
        step = {"kind": "heal", "path": [[100, 100], [140, 120]], "radius_px": 12, "from": [160, 60]}
        mend.add_step(view.id, mend.StepEntry.model_validate({"revision": view.revision, "step": step}))
        mend.finish(view.id)
        for task_id in tasks.unfinished():
            have_done(task_id)
        with transaction() as session:
            made = stacks.latest_products(session, "mend", 1)
            cls.mended_id = made[0].id

    def test_a_merge_with_its_depth_and_how_sure_it_is(self) -> None:
        with record.whole(self.merge.id) as (path, name):
            told = from_tiff(path)
            self.assertTrue(name.startswith("WHOLE-1") and name.endswith(".ome.tif"))
            self.assertEqual([one.name for one in told.images],
                             ["composite", "depth, µm", "standard uncertainty of depth, µm"])  # fmt: skip
            self.assertEqual(
                {one.pixels.physical_size_x for one in told.images}, {record.label(self.merge.id).um_per_px}
            )

    def test_a_mended_picture_with_what_was_changed(self) -> None:
        folder = FrameStore(settings().data).product_folder(self.mended_id)
        with record.whole(self.merge.id, self.mended_id) as (path, _), tifffile.TiffFile(path) as file:
            self.assertIn("3 healed (not evidence)", file.series[1].name)
            np.testing.assert_array_equal(file.series[1].asarray(), tifffile.imread(folder / "changed.tif"))
            np.testing.assert_array_equal(file.series[0].asarray(), tifffile.imread(folder / "composite.tif"))
            self.assertEqual(len(file.series), 4)
        with self.assertRaises(NotFound), record.whole(self.merge.id, 999_999):
            pass

    def test_large_pictures_come_with_smaller_copies(self) -> None:
        with TemporaryDirectory() as folder:
            path = Path(folder, "large.ome.tif")
            picture = np.zeros((7200, 7000, 3), np.uint8)
            picture[:, 3500:] = 200
            depth = np.arange(7200, dtype=np.float32)[:, None].repeat(7000, axis=1)
            write_ome(path, picture, {"depth, µm": depth}, 0.5)
            with tifffile.TiffFile(path) as file:
                composite, below = file.series
                self.assertEqual([level.shape[:2] for level in composite.levels],
                                 [(7200, 7000), (3600, 3500), (1800, 1750), (900, 875)])  # fmt: skip
                small = composite.levels[-1].asarray()
                self.assertEqual((int(small[5, 400, 0]), int(small[5, 500, 0])), (0, 200))
                self.assertEqual(float(below.levels[2].asarray()[10, 3]), 40.0)
            self.assertEqual([one.pixels.size_x for one in from_tiff(path).images], [7000, 7000])


if __name__ == "__main__":
    unittest.main()
