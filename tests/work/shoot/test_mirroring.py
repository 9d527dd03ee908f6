"""Light that reflects: a marked place, diffusers, flash heads and a meter's reading, on the simulated bench."""

import io
import unittest

import numpy as np
from PIL import Image

from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.simulated.lighting import Lighting, lit_by
from amber_ladder.simulated.specimens import specimen_for
from amber_ladder.simulated.view import SpecimenView
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work.record.records import shot_with
from amber_ladder.work.shoot import BenchChange, FlashEntry, MoveEntry
from amber_ladder.work.shoot.orders import MeterEntry, NoteEntry, PlaceEntry
from amber_ladder.work.shoot.place import PlaceWatch
from amber_ladder.work.shoot.views import PlaceView
from tests.support.bench import BenchTest
from tests.support.station import until

_USUAL = BenchChange(scene="jewel-wasp", lit_by="heads", diffused=True, lamp_deg=0, camera="simulated")


class Mirroring(BenchTest):
    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(self.bench.change, _USUAL)

    def read(self, moments: int = 3) -> PlaceView:
        """The place after so many moments of the live view."""
        for _ in range(moments):
            place = self.bench.live_frame(None).pictures.place
        assert place is not None
        return place

    def on_a_blade(self) -> tuple[PlaceEntry, int]:
        """The middle, where the foremost blade of wulfenite lies, in focus; and at which lamp, in tens of °, it mirrors."""
        self.bench.change(BenchChange(scene="wulfenite", lit_by="lamp", lamp_deg=-60))
        stack = self.stack()
        setup, _ = self.bench._mounting.needed()
        view = SpecimenView(specimen_for("wulfenite"), setup.optics, setup.rig.to_core().sensor, setup.seed)
        depth = view.scene.sharp_depth_um()
        rows, columns = (length // 2 for length in depth.shape)
        place = np.s_[rows - 17 : rows + 18, columns - 17 : columns + 18]
        here = depth[place]
        blade, pixel_um = view.scene.sheets[-1], setup.optics.pixel_um
        shines = {
            deg: float(lit_by(blade, pixel_um, Lighting(lamp_deg=deg)).rgb[place].mean()) for deg in range(-60, 61, 10)
        }
        self.bench.move(MoveEntry(to_um=stack.plan.near_um + float(here.mean()) / setup.optics.medium_index))
        until(lambda: self.bench.view().busy is None, "the move")
        return PlaceEntry(x=0.5, y=0.5, radius=0.05), max(shines, key=lambda deg: shines[deg])

    def test_the_best_angle_of_a_face_that_mirrors_is_found_and_kept(self) -> None:
        entry, mirrors_deg = self.on_a_blade()
        self.bench.light.mark(entry)
        with self.assertRaises(NotFound):
            self.bench.light.picture("best")
        with self.assertRaisesRegex(Conflict, "no best angle"):
            self.bench.light.note_best(NoteEntry(words="arm at the third mark"))
        seen = {}
        for deg in range(-60, 61, 10):
            self.bench.change(BenchChange(lamp_deg=deg))
            seen[deg] = self.read().stops
        place = self.read()
        assert place.best is not None
        assert place.best.lamp_deg is not None
        self.assertAlmostEqual(place.best.lamp_deg, mirrors_deg, delta=10.0)
        self.assertEqual(place.best.stops, max(seen.values()))
        self.assertGreater(place.best.stops, seen[-60] + 0.2)
        picture = np.asarray(Image.open(io.BytesIO(self.bench.light.picture("best"))))
        self.assertEqual(picture.shape, (256, 384, 3))
        self.bench.light.note_best(NoteEntry(words="arm at the third mark"))
        self.assertEqual(self.bench.light.best.note, "arm at the third mark")  # type: ignore[union-attr]
        # A single moment that is brighter, as when a hand passes, is no angle.
        self.bench.light.mark(entry)
        self.assertIsNone(self.read(2).best)
        self.bench.light.mark(None)
        self.assertIsNone(self.bench.live_frame(None).pictures.place)

    def test_a_place_that_is_washed_out_at_its_best_says_so(self) -> None:
        watch = PlaceWatch(PlaceEntry(x=0.5, y=0.5, radius=0.1))
        for level, washed_out in ((90, False), (255, True), (180, True)):
            for _ in range(3):
                seen = watch.read(np.full((100, 150, 3), level, np.uint8), None)
            assert seen.best is not None
            self.assertEqual(seen.best.clipped, washed_out)
        self.assertFalse(seen.clipped)
        assert seen.best is not None
        self.assertEqual((seen.best.stops, seen.best.clipped, seen.best.lamp_deg), (0.0, True, None))

    def test_the_angle_stands_in_the_record_of_what_is_shot_then(self) -> None:
        entry, _ = self.on_a_blade()
        self.bench.change(BenchChange(lamp_deg=30))
        stack = self.stack()
        self.bench.light.mark(entry)
        self.read()
        self.bench.light.note_best(NoteEntry(words="arm at the third mark"))
        take = self.run_it(stack)
        with transaction() as session:
            told = shot_with(stacks.get_take(session, take.id))
        self.assertIn("lit by a lamp 30° beside the axis (arm at the third mark)", told)

    def test_a_diffuser_is_judged_by_two_test_frames(self) -> None:
        self.bench.change(BenchChange(scene="capped-column", diffused=False))
        self.stack()
        with self.assertRaisesRegex(Conflict, "no test frame"):
            self.bench.light.keep_before()
        self.bench.light.test_frame()
        self.bench.light.keep_before()
        self.assertIsNone(self.bench.view().diffuser.compared)  # type: ignore[union-attr]
        self.bench.change(BenchChange(diffused=True))
        # What was tested before tells nothing of this light.
        self.assertIsNone(self.bench.view().test_frame)
        self.bench.light.test_frame()
        told = self.bench.view().diffuser.compared  # type: ignore[union-attr]
        assert told is not None
        self.assertFalse(told.alike)
        self.assertAlmostEqual(told.taken_stops, 1.0, delta=0.25)
        self.bench.light.set_flash(FlashEntry(power=0.2))
        self.assertIsNone(self.bench.view().diffuser.compared)  # type: ignore[union-attr]
        self.bench.light.test_frame()
        told = self.bench.view().diffuser.compared  # type: ignore[union-attr]
        assert told is not None
        self.assertTrue(told.alike)
        self.assertAlmostEqual(told.taken_stops, 1.0, delta=0.25)
        self.assertLess(told.after.glare, told.before.glare)
        self.assertNotEqual(self.bench.light.picture("before"), self.bench.light.picture("last"))

    def test_heads_are_weighed_each_alone_and_evened(self) -> None:
        self.stack()
        with self.assertRaisesRegex(BadInput, "left and right"):
            self.bench.light.set_flash(FlashEntry(heads={"top": 1.0}))
        with self.assertRaisesRegex(BadInput, "at least"):
            self.bench.light.set_flash(FlashEntry(heads={"left": 0.0, "right": 0.0}))
        self.bench.light.set_flash(FlashEntry(power=0.15, heads={"left": 1.0, "right": 0.5}))
        self.bench.light.weigh_heads()
        found = self.bench.view().balance
        assert found is not None
        self.assertEqual((found.first, found.second), ("left", "right"))
        self.assertAlmostEqual(found.brighter_stops or 0.0, 1.0, delta=0.25)
        self.assertEqual(self.bench.view().flash.heads, {"left": 1.0, "right": 0.5})  # type: ignore[union-attr]
        self.bench.change(BenchChange(flaws=["noise"]))  # the camera is opened anew, and the heads stay as they were
        self.assertEqual(self.bench.view().flash.heads, {"left": 1.0, "right": 0.5})  # type: ignore[union-attr]
        self.bench.change(BenchChange(flaws=[]))
        self.bench.light.set_flash(FlashEntry(heads=found.even))
        self.assertIsNone(self.bench.view().balance)
        self.bench.light.weigh_heads()
        again = self.bench.view().balance
        assert again is not None
        assert again.brighter_stops is not None
        self.assertAlmostEqual(again.brighter_stops, 0.0, delta=0.15)

    def test_a_meters_reading_becomes_a_power(self) -> None:
        self.stack()
        effective = self.bench._mounting.needed()[0].optics.effective_f_number
        told = self.bench.light.metered(MeterEntry(f_number=effective / 2, power=1 / 32))
        self.assertAlmostEqual(told.stops, 2.0)
        self.assertEqual(told.setting, "1/8")
        more = self.bench.light.metered(MeterEntry(f_number=effective, power=1 / 8, camera_iso=400, taken_stops=1))
        self.assertAlmostEqual(more.stops, -1.0)
        far = self.bench.light.metered(MeterEntry(f_number=1, power=1))
        self.assertIsNone(far.power)
        self.assertGreater(far.missing_stops, 1.0)

    def test_without_a_live_view_no_place_is_followed(self) -> None:
        self.stack()
        self.bench.change(BenchChange(camera="folder"))
        with self.assertRaisesRegex(Conflict, "this camera shows none"):
            self.bench.light.mark(PlaceEntry(x=0.5, y=0.5))
        with self.assertRaisesRegex(Conflict, "no flash is connected"):
            self.bench.light.weigh_heads()


if __name__ == "__main__":
    unittest.main()
