"""What is looked up once of all frames of a merge: kept, read again, and the same as looking anew."""

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any, ClassVar

import numpy as np

from amber_ladder.core.frames import no_progress
from amber_ladder.core.mending import CELL_PX, sharpest
from amber_ladder.errors import BadInput, Stopped
from amber_ladder.formats.mend_json import StepsJson
from amber_ladder.simulated.jpeg import encode_jpeg
from amber_ladder.simulated.wobble import Wobble
from amber_ladder.work.on_disk.mend_layers import LayerMaker
from amber_ladder.work.on_disk.mending import mend_folder, write_mended
from amber_ladder.work.on_disk.merge_result import read_merge
from amber_ladder.work.on_disk.merge_settings import MergeSettings
from amber_ladder.work.on_disk.merging import merge_folder
from amber_ladder.work.on_disk.paint_rack import make_rack, read_details, read_rack
from tests.support.stacks import Shot

DUST = StepsJson.model_validate({"steps": [{"kind": "dust", "keep": [1]}]}).steps


class Looked(unittest.TestCase):
    home: ClassVar[Path]
    files: ClassVar[dict[str, Path]]
    report: ClassVar[dict[str, Any]]

    @classmethod
    def setUpClass(cls) -> None:
        scratch = tempfile.TemporaryDirectory()
        cls.addClassCleanup(scratch.cleanup)
        cls.home = Path(scratch.name)
        frames = cls.home / "frames"
        frames.mkdir()
        stack = Shot("moss-capsule", Wobble(dust=14), 5)
        for at, picture in enumerate(stack.frames.pictures):
            (frames / f"f{at:02d}.jpg").write_bytes(encode_jpeg(picture, captured_at=None))
        cls.files = {path.name: path for path in frames.iterdir()}
        settings = MergeSettings(method="select", step_um=18.0, um_per_px=1.0)
        merge_folder(frames, cls.home / "merge", settings, no_progress)
        cls.report = make_rack(cls.home / "merge", cls.files, cls.home / "rack", no_progress)

    def test_dust_from_the_rack_is_the_same_to_the_byte_as_dust_looked_for_anew(self) -> None:
        found = [one for one in self.report["spots"] if one["replaced"]]
        self.assertGreaterEqual(len(found), 4)
        anew = mend_folder(self.home / "merge", DUST, self.home / "frames", self.home / "anew", no_progress)
        merge = read_merge(self.home / "merge")
        # As it comes back from the database.
        rack = read_rack(self.home / "rack", json.loads(json.dumps(self.report)))
        kept = write_mended(merge, LayerMaker(merge, self.files, rack=rack), DUST, self.home / "kept", no_progress)
        for name in ("composite.tif", "changed.tif"):
            self.assertEqual((self.home / "anew" / name).read_bytes(), (self.home / "kept" / name).read_bytes())
        self.assertEqual(json.loads(json.dumps(anew)), json.loads(json.dumps(kept)))

    def test_every_frame_has_its_detail_in_the_order_of_focus(self) -> None:
        details = read_details(self.home / "rack")
        height, width = read_merge(self.home / "merge").composite.shape[:2]
        self.assertEqual(details.shape, (len(self.files), -(-height // CELL_PX), -(-width // CELL_PX)))
        self.assertEqual(self.report["files"], sorted(self.files))  # shot from near to far
        # On the teeth, which slope away from the camera, the sharpest frame follows the depth.
        depth = [sharpest(details, (float(x), height / 2), 6)[0].place for x in range(width // 8, width // 2, 12)]
        self.assertGreater(np.ptp(depth), 3)

    def test_what_is_gone_or_cut_short_is_said_so(self) -> None:
        broken = self.home / "broken"
        broken.mkdir()
        for read in (lambda: read_details(broken), lambda: read_rack(broken, self.report)):
            with self.assertRaisesRegex(BadInput, "gone from the disk"):
                read()
        (broken / "dust.npz").write_bytes((self.home / "rack" / "dust.npz").read_bytes()[:200])
        (broken / "detail.npy").write_bytes(b"none")
        for read in (lambda: read_details(broken), lambda: read_rack(broken, self.report)):
            with self.assertRaisesRegex(BadInput, "begin a new mend"):
                read()

    def test_stopped_half_way_it_leaves_nothing(self) -> None:
        def stop(phase: str, done: int, _total: int) -> None:
            if phase == "detail" and done == 5:
                raise Stopped("stopped by hand")

        with self.assertRaises(Stopped):
            make_rack(self.home / "merge", self.files, self.home / "stopped", stop)
        self.assertFalse((self.home / "stopped").exists())
        self.assertEqual([one.name for one in self.home.iterdir() if one.name.startswith(".")], [])


if __name__ == "__main__":
    unittest.main()
