"""How all frames of a take are developed: set once, the same for all, tried on any frame, merged so, and undone."""

import unittest
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import ExifTags, Image
from sqlalchemy import delete

from amber_ladder.core.colour import encode_srgb
from amber_ladder.errors import BadInput, NotFound
from amber_ladder.formats.development_json import DevelopmentJson, NeutralPlaceJson
from amber_ladder.formats.pictures import read_picture
from amber_ladder.store.card_models import CardFile
from amber_ladder.store.database import transaction
from amber_ladder.work import card, deeds, plan, record, sort
from amber_ladder.work.stack.views import TakeView
from tests.support.cards import sweep
from tests.support.station import database
from tests.support.takes import folder_of, have_done, merged, new_stack, shot_stack, take_of


def mean_of(content: bytes) -> float:
    """The mean tone of a JPEG."""
    return float(np.asarray(Image.open(BytesIO(content)), np.float32).mean())


class OfATake(unittest.TestCase):
    take_id: int
    stack_id: int

    @classmethod
    def setUpClass(cls) -> None:
        shot = shot_stack()
        stack = new_stack("DEVELOPED-1", far_um=700)
        frames = shot.takes[0].frames[:6]
        cls.stack_id, cls.take_id = stack.id, take_of(stack, frames)

    def take(self) -> TakeView:
        return plan.read_stack(self.stack_id).takes[0]

    def composite(self) -> NDArray[np.uint16]:
        done = merged(self.take_id)
        self.report = record.record(done.id)[0]
        return read_picture(folder_of(done) / "composite.tif")

    def set(self, development: DevelopmentJson | None) -> None:
        sort.set_development(self.take_id, sort.DevelopmentEntry(development=development))

    def test_merged_as_developed_brighter_by_a_stop_in_16_bits_and_as_before_once_undone(self) -> None:
        before = self.composite()
        self.assertEqual(before.dtype, np.uint8)
        self.set(DevelopmentJson(exposure_stops=-1.0, tone="linear"))
        after = self.composite()
        self.assertEqual(after.dtype, np.uint16)
        light = (before.astype(np.float64) / 255.0 + 0.055) / 1.055
        ratio = np.median(after.astype(np.float64) / 65535.0 / np.maximum(light**2.4, 1e-3))
        self.assertAlmostEqual(float(ratio), 0.5, delta=0.03)
        self.assertEqual(self.report["sorting"]["development"]["exposure_stops"], -1.0)
        self.set(None)
        np.testing.assert_array_equal(self.composite(), before)

    def test_a_neutral_place_makes_that_place_grey_and_is_kept_as_what_it_came_to(self) -> None:
        frame = self.take().frames[2]
        place = NeutralPlaceJson(file=frame.name, x=190, y=130, size_px=24)
        self.set(DevelopmentJson(white_balance=place))
        self.addCleanup(self.set, None)
        kept = self.take().development
        assert kept is not None
        self.assertEqual(len(kept["multipliers"]), 3)
        shown = np.asarray(
            Image.open(BytesIO(sort.preview(self.take_id, frame.id, DevelopmentJson(white_balance=place))))
        )
        patch = shown[118:142, 178:202].reshape(-1, 3).mean(axis=0)
        self.assertLess(float(np.ptp(patch)), 3.0)

    def test_a_preview_shows_exposure_before_anything_is_set(self) -> None:
        frame = self.take().frames[0]
        plain, bright = (
            mean_of(sort.preview(self.take_id, frame.id, DevelopmentJson(exposure_stops=stops))) for stops in (0, 1)
        )
        self.assertGreater(bright, plain + 8)
        self.assertIsNone(self.take().development)

    def test_setting_it_can_be_undone(self) -> None:
        self.set(DevelopmentJson(shadows=0.5))
        deeds.undo((deeds.last_deed() or self.fail()).id)
        self.assertIsNone(self.take().development)

    def test_what_does_not_fit_is_refused(self) -> None:
        with self.assertRaisesRegex(BadInput, "not among the frames"):
            self.set(DevelopmentJson(white_balance=NeutralPlaceJson(file="elsewhere.jpg", x=1, y=1)))
        with self.assertRaises(NotFound):
            sort.preview(self.take_id, 10**6, DevelopmentJson())


class GreyCard(unittest.TestCase):
    """A grey card shot before the series, upright, under light of this colour: it lies beside the take on its card."""

    LIGHT = (0.30, 0.20, 0.15)

    @classmethod
    def setUpClass(cls) -> None:
        database()
        number = card.begin(card.CardEntry(name="with a grey card")).id
        upright = np.full((384, 256, 3), (0.5, 0.1, 0.1))
        upright[:192] = cls.LIGHT
        turned, notes = Image.fromarray(shown(np.rot90(upright))), Image.Exif()
        notes[ExifTags.Base.Orientation] = 6  # the camera stood on its side: the picture is turned to the right
        into = BytesIO()
        turned.save(into, "JPEG", quality=95, subsampling=0, exif=notes)
        card.add_file(number, "A/TH0001.JPG", [into.getvalue()])
        for at, frame in enumerate(sweep(8)):
            into = BytesIO()
            Image.fromarray(shown(frame)).save(into, "JPEG", quality=95)
            card.add_file(number, f"A/TH{at + 2:04d}.JPG", [into.getvalue()])
        task = card.look_at_card(number).task
        assert task is not None
        have_done(task.id)
        one = card.read(number).stacks[-1]
        card.take_back(number, card.TakenBackEntry(files=[out.file for out in one.left_out]))
        stack = new_stack("GREY-1")
        card.set_goes(number, one.first, card.GoesEntry(stack_id=stack.id))
        card.accept(number, card.AcceptEntry(stacks=[one.first]))
        cls.number, cls.take = number, plan.read_stack(stack.id).takes[0]

    number: int
    take: TakeView

    def test_it_is_found_beside_the_take_and_tells_what_is_white(self) -> None:
        (grey,) = sort.beside(self.take.id)
        self.assertEqual((grey.name, grey.frames_off), ("A/TH0001.JPG", -1))
        # In the upper half, as it is seen upright.
        place = NeutralPlaceJson(file=grey.name, x=128, y=96, size_px=40)
        entry = sort.DevelopmentEntry(development=DevelopmentJson(white_balance=place))
        kept = sort.set_development(self.take.id, entry).development
        assert kept is not None
        expected = np.array([self.LIGHT[1] / light for light in self.LIGHT])
        np.testing.assert_allclose(np.array(kept["multipliers"]) / kept["multipliers"][1], expected, rtol=0.02)
        # The card may be thrown away: what it came to is kept, and the frames are developed all the same.
        with transaction() as session:
            session.execute(delete(CardFile).where(CardFile.card_id == self.number, CardFile.name == grey.name))
        self.assertEqual(sort.beside(self.take.id), [])
        bright = DevelopmentJson(white_balance=place, exposure_stops=1)
        again = sort.set_development(self.take.id, sort.DevelopmentEntry(development=bright)).development
        assert again is not None
        self.assertEqual(again["multipliers"], kept["multipliers"])


def shown(light: NDArray[np.floating]) -> NDArray[np.uint8]:
    """Linear light as a display shows it, 8 bits."""
    return np.asarray(255 * encode_srgb(light.astype(np.float32)) + 0.5, np.uint8)


if __name__ == "__main__":
    unittest.main()
