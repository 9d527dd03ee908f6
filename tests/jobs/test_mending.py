"""A mend that is written by the real worker: killed half way it is written all the same, to the same bytes."""

import os
import signal
import unittest

import numpy as np
from pydantic import TypeAdapter

from amber_ladder.formats.mend_json import StepJson
from amber_ladder.settings import settings
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work import mend, tasks
from amber_ladder.work.mend.mends import MendedView
from amber_ladder.work.on_disk.mending import RESULTS
from tests.support.station import running, until
from tests.support.takes import have_done, merged, shot_stack

_STEP: TypeAdapter[StepJson] = TypeAdapter(StepJson)
_STROKES = 60


class Killed(unittest.TestCase):
    def test_a_worker_killed_while_it_writes_leaves_nothing_half_done(self) -> None:
        station = running()
        self.addCleanup(station.keep_up)
        stack = shot_stack("MEND-JOB")
        done = merged(stack.takes[0].id)
        view = mend.begin(done.id, mend.MendEntry())
        assert view.rack.task is not None
        have_done(view.rack.task.id)
        random = np.random.default_rng(3)
        frames = stack.takes[0].frames
        for at in range(_STROKES):
            x, y = random.uniform((40, 40), (view.width_px - 40, view.height_px - 40))
            stroke = {"kind": "from_frame", "file": frames[at % len(frames)].name, "path": [[x, y]], "radius_px": 12}
            view = mend.add_step(view.id, mend.StepEntry(revision=view.revision, step=_STEP.validate_python(stroke)))
        killed, calm = (self.written(view.id, kill=kill) for kill in (True, False))
        self.assertEqual(killed, calm)
        self.assertEqual(tasks.unfinished(), [])

    def written(self, mend_id: int, *, kill: bool) -> bytes:
        """The mended picture, with its worker killed while it was being written, or not."""
        station = running()
        self.touch(mend_id)
        mend.finish(mend_id)
        folder = FrameStore(settings().data).product_folder(self.made(mend_id).id)
        if kill:
            until(lambda: self.made(mend_id).task.state == "running", "the writing to be under way")
            os.kill(station.pid("worker"), signal.SIGKILL)
            # Nothing, or were the worker very quick, all of it.
            left = sorted(path.name for path in folder.iterdir()) if folder.exists() else []
            self.assertIn(left, ([], sorted(RESULTS)))

        def is_there() -> bool:
            station.keep_up()
            return self.made(mend_id).task.state == "done"

        until(is_there, "the mended picture")
        return (folder / "composite.tif").read_bytes()

    def touch(self, mend_id: int) -> None:
        """Another revision that shows the same: something is changed and undone."""
        erase = _STEP.validate_python({"kind": "erase", "path": [[30, 30]], "radius_px": 5})
        view = mend.add_step(mend_id, mend.StepEntry(revision=mend.read(mend_id).revision, step=erase))
        mend.undo(mend_id, mend.Seen(revision=view.revision))

    def made(self, mend_id: int) -> MendedView:
        found = mend.read(mend_id).mended
        assert found is not None
        return found


if __name__ == "__main__":
    unittest.main()
