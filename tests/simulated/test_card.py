import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

from amber_ladder.formats.metadata import noted_in
from amber_ladder.simulated.card import CardFile, Ways, fill_card
from amber_ladder.simulated.card._story import spaced, story
from tests.support.cards import take, three_takes, told_apart

WAYS = Ways(first_number=9998, whole_seconds=True, broken=(0.55,))


def grey(file: CardFile) -> np.ndarray[tuple[int, ...], np.dtype[np.uint8]]:
    picture = cv2.imdecode(np.frombuffer(file.content, np.uint8), cv2.IMREAD_GRAYSCALE)
    assert picture is not None
    return np.asarray(picture, np.uint8)


class TestFillCard(unittest.TestCase):
    def test_the_same_seed_gives_the_same_card(self) -> None:
        one = take("moss-capsule", step=3.0)
        first, again, other = (fill_card([one], WAYS, seed=seed).files for seed in (1, 1, 2))
        self.assertEqual([file.content for file in first], [file.content for file in again])
        self.assertNotEqual([file.content for file in first], [file.content for file in other])

    def test_numbers_wrap_around_and_times_are_noted_as_the_camera_does(self) -> None:
        card = fill_card([take("moss-capsule", step=3.0, exposure_s=0.02)], replace(WAYS, broken=()))
        self.assertEqual([file.name for file in card.files[:3]], ["TH9998.JPG", "TH9999.JPG", "TH0001.JPG"])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "f.jpg"
            path.write_bytes(card.files[1].content)
            noted = noted_in(path)
        assert noted.captured_at
        self.assertEqual((noted.captured_at.microsecond, noted.exposure_s), (0, 0.02))

    def test_a_file_cut_short_lies_inside_a_take(self) -> None:
        card = fill_card([take("moss-capsule", step=1.0)], WAYS)
        (broken,) = [file for file in card.files if file.broken]
        self.assertNotIn(broken.name, (card.takes[0].first[1], card.takes[0].last[0]))
        self.assertLess(len(broken.content), 0.5 * len(card.files[0].content))

    def test_mishaps_are_in_the_picture(self) -> None:
        files = three_takes().card.files
        at = {kind: n for n, file in enumerate(files) for kind in file.flags if file.take == 0}
        self.assertLess(grey(files[at["dark"]]).mean(), 0.6 * grey(files[at["dark"] - 1]).mean())
        self.assertGreater(grey(files[at["bright"]]).mean(), 1.2 * grey(files[at["bright"] - 1]).mean())
        self.assertEqual(grey(files[at["odd_size"]]).shape, (180, 240))
        copy = at["duplicate"]
        self.assertEqual(files[copy].focus_um, files[copy - 1].focus_um)

    def test_what_is_between_takes_belongs_to_none(self) -> None:
        card = told_apart().card
        (black,) = [file for file in card.files if file.take is None]
        self.assertLess(grey(black).max(), 12)

    def test_a_hole_lacks_as_many_steps_as_it_says(self) -> None:
        card = three_takes().card
        ((after, before, missing),) = card.takes[2].gaps
        focus = {file.path: file.focus_um or 0.0 for file in card.files}
        step = abs(focus[card.files[-1].path] - focus[card.files[-2].path])
        self.assertAlmostEqual(abs(focus[before] - focus[after]) / step, missing + 1, delta=0.01)


class TestStory(unittest.TestCase):
    def test_cards_hold_all_that_is_to_be_told_apart(self) -> None:
        told = [story(seed) for seed in range(40)]
        takes = [one for takes, _ in told for one in takes]
        self.assertEqual(
            {one.separator for one in takes},
            {None, "hand", "black", "blurred", "pause", "folder", "size", "exposure", "content", "focus"},
        )
        kinds = {mishap.kind for one in takes for _, mishap in one.mishaps}
        self.assertEqual(
            kinds, {"dark", "bright", "shaken", "jolted", "duplicate", "moved", "out_of_focus", "odd_size"}
        )
        self.assertEqual({one.kind for one in takes}, {"insect", "mineral", "snow", "plant"})
        self.assertEqual({(one.by_hand, one.far_first) for one in takes}, {(a, b) for a in (0, 1) for b in (0, 1)})
        self.assertEqual({ways.timed for _, ways in told}, {True, False})

    def test_mishaps_keep_their_distance(self) -> None:
        self.assertEqual(spaced([5, 6, 20], 0, 30), [5, 9, 20])
        self.assertEqual(spaced([5, 28], 0, 30), [5, None])
